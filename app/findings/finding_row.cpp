#include "app/findings/finding_row.h"

#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

namespace cask::app {
namespace {

constexpr int kMarkPx = 22;
constexpr int kWhosePx = 112;

} // namespace

FindingRow::FindingRow(const Desk& desk, const advise::Finding& finding, bool saysWhose, QWidget* parent)
    : QFrame(parent), m_desk(desk), m_id(finding.id), m_severity(finding.severity),
      m_isFolded(finding.isFolded), m_isDismissed(finding.dismissal.has_value()),
      m_head(new QLabel(pretty(finding.head), this)), m_open(new QWidget(this)),
      m_actions(new QWidget(m_open)), m_reason(new QLineEdit(m_open)) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(kMarkPx, 2, 8, 2);
    all->setSpacing(2);
    auto* top = new QHBoxLayout;
    top->setSpacing(8);
    all->addLayout(top);
    m_head->setFont(textFont(13));
    m_head->setForegroundRole(m_isDismissed ? QPalette::PlaceholderText : QPalette::WindowText);
    m_head->setMinimumWidth(0);
    top->addWidget(m_head);
    top->addStretch(1);
    if (const QString whose = QString::fromStdString(desk.document.session().nameOf(finding.element));
        saysWhose && !whose.isEmpty()) {
        auto* name = new QLabel(this);
        name->setFont(textFont(12));
        name->setForegroundRole(QPalette::PlaceholderText);
        name->setText(name->fontMetrics().elidedText(whose, Qt::ElideMiddle, kWhosePx));
        top->addWidget(name);
    }
    all->addWidget(m_open);
    m_open->hide();
    auto* layout = new QVBoxLayout(m_open);
    layout->setContentsMargins(0, 0, 0, 2);
    layout->setSpacing(4);
    auto* sentence = new QLabel(pretty(finding.sentence), m_open);
    sentence->setFont(textFont(12));
    sentence->setWordWrap(true);
    sentence->setForegroundRole(m_isDismissed ? QPalette::PlaceholderText : QPalette::WindowText);
    layout->addWidget(sentence);
    if (m_isDismissed) {
        auto* why = new QLabel(tr("Dismissed: %1").arg(QString::fromStdString(*finding.dismissal)), m_open);
        why->setFont(textFont(12));
        why->setWordWrap(true);
        why->setForegroundRole(QPalette::PlaceholderText);
        layout->addWidget(why);
    }
    auto* row = new QHBoxLayout(m_actions);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    if (finding.hearing) {
        m_hear = addAction(tr("hear"), tr("Plays what is meant (H); again stops"));
        connect(m_hear, &QPushButton::clicked, this, &FindingRow::hear);
    }
    if (finding.proposal && !m_isDismissed) {
        const QString words = pretty(finding.proposal->words);
        m_try = addAction(tr("try"), tr("While held: %1, heard at the same loudness (hold T)").arg(words));
        m_try->setEnabled(finding.hearing.has_value());
        connect(m_try, &QPushButton::pressed, this, [this] { setTrying(true); });
        connect(m_try, &QPushButton::released, this, [this] { setTrying(false); });
        m_keep = addAction(tr("keep"), tr("%1 (K)").arg(words));
        connect(m_keep, &QPushButton::clicked, this, &FindingRow::keep);
    }
    if (finding.severity != advise::Severity::Note || m_isDismissed) {
        m_dismiss = m_isDismissed ? addAction(tr("restore"), tr("Opens this finding again (D)"))
                                  : addAction(tr("dismiss"), tr("Dismisses this finding with a reason (D)"));
        connect(m_dismiss, &QPushButton::clicked, this, &FindingRow::askWhy);
    }
    row->addStretch();
    layout->addWidget(m_actions);
    m_reason->setPlaceholderText(tr("Why? Enter dismisses it, Esc does not"));
    m_reason->setAccessibleName(tr("Reason"));
    m_reason->setFont(textFont(12));
    m_reason->installEventFilter(this);
    m_reason->hide();
    layout->addWidget(m_reason);
    connect(m_reason, &QLineEdit::returnPressed, this,
            [this] { m_desk.findings.dismiss(m_id, m_reason->text()); });
    setAccessibleName(QString::fromStdString(finding.sentence));
}

QPushButton* FindingRow::addAction(const QString& words, const QString& help) {
    auto* button = new QPushButton(words, m_actions);
    button->setFont(textFont(12));
    button->setStyleSheet(QStringLiteral("padding: 1px 9px;"));
    button->setFocusPolicy(Qt::TabFocus);
    button->setToolTip(help);
    button->setAccessibleName(words);
    m_actions->layout()->addWidget(button);
    return button;
}

void FindingRow::setCurrent(bool on) {
    m_isCurrent = on;
    m_open->setVisible(on);
    m_head->setFont(textFont(13, on ? QFont::DemiBold : QFont::Normal));
    if (!on)
        m_reason->hide();
    update();
}

QString FindingRow::headText() const {
    return m_head->text();
}

void FindingRow::hear() {
    const auto* finding = m_desk.findings.find(m_id);
    auto& playback = m_desk.playback;
    if (playback.isAuditioning()) {
        playback.endAudition();
        return;
    }
    if (finding == nullptr || !finding->hearing)
        return;
    const auto& h = *finding->hearing;
    playback.audition({h.alone, h.fromS, h.toS, {}});
}

void FindingRow::setTrying(bool on) {
    if (!on) {
        m_desk.playback.endAudition();
        return;
    }
    const auto* finding = m_desk.findings.find(m_id);
    if (finding == nullptr || !finding->hearing || !finding->proposal)
        return;
    const auto& h = *finding->hearing;
    m_desk.playback.audition({h.alone, h.fromS, h.toS, finding->proposal->apply});
}

void FindingRow::keep() {
    m_desk.findings.keep(m_id);
}

void FindingRow::askWhy() {
    if (m_isDismissed) {
        m_desk.findings.takeUpAgain(m_id);
        return;
    }
    if (m_dismiss == nullptr)
        return;
    m_reason->show();
    m_reason->setFocus();
}

bool FindingRow::eventFilter(QObject* watched, QEvent* event) {
    if (watched == m_reason && event->type() == QEvent::KeyPress &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        m_reason->hide();
        parentWidget()->setFocus();
        return true;
    }
    return QFrame::eventFilter(watched, event);
}

void FindingRow::mousePressEvent(QMouseEvent*) {
    emit chosen(QString::fromStdString(m_id));
}

void FindingRow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    if (m_isCurrent)
        p.fillRect(rect(), t.chosen);
    // A fault is a struck bar, advice an open ring, a note a dot: told apart without colour too.
    p.setRenderHint(QPainter::Antialiasing);
    const QPointF at(12, 12);
    const bool isOpen = !m_isDismissed && !m_isFolded; // small ones stand back
    switch (m_severity) {
    case advise::Severity::Fault:
        p.setFont(textFont(14, QFont::Bold));
        p.setPen(isOpen ? t.ember : t.faint);
        p.drawText(QRectF(at.x() - 8, at.y() - 10, 16, 20), Qt::AlignCenter, QStringLiteral("!"));
        break;
    case advise::Severity::Advice:
        p.setPen(QPen(isOpen ? t.ink : t.faint, 1.6));
        p.drawEllipse(at, 3.5, 3.5);
        break;
    case advise::Severity::Note:
        p.setPen(Qt::NoPen);
        p.setBrush(t.slate);
        p.drawEllipse(at, 2, 2);
        break;
    }
}

} // namespace cask::app
