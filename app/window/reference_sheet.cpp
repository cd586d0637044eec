#include "app/window/reference_sheet.h"

#include "app/theme/theme.h"
#include "app/widgets/words.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using measure::LoopDrum;

constexpr double kLeastDb = -24; // against the kick
constexpr double kMostDb = 12;

QString timeOf(double seconds) {
    const int minutes = static_cast<int>(seconds / 60);
    return QStringLiteral("%1:%2").arg(minutes).arg(seconds - 60 * minutes, 4, 'f', 1, QLatin1Char('0'));
}

QString tempoOf(const kit::DrumMix& mix) {
    return mix.tempo.isKnown ? ReferenceSheet::tr("%1 bpm").arg(mix.tempo.bpm, 0, 'f', 1)
                             : ReferenceSheet::tr("no steady tempo");
}

/// Nothing where there is no mix, or one of the two drums is not struck in it.
std::optional<double> againstKick(const kit::DrumMix* mix, LoopDrum drum) {
    if (mix == nullptr)
        return std::nullopt;
    return mix->againstKickDb(drum);
}

} // namespace

ReferencePicture::ReferencePicture(ReferenceModel& model, QWidget* parent) : QWidget(parent), m_model(model) {
    setAccessibleName(tr("Drums of the reference and of the mix"));
    setMinimumHeight(200);
    connect(&model, &ReferenceModel::changed, this, [this] {
        setAccessibleDescription(rows().join(QStringLiteral(". ")));
        update();
    });
}

QStringList ReferencePicture::rows() const {
    QStringList rows;
    const auto* reference = m_model.of(m_model.chosen());
    const auto* own = m_model.own();
    for (std::size_t d = 1; d < measure::kLoopDrums; ++d) {
        const auto drum = static_cast<LoopDrum>(d);
        const auto theirs = againstKick(reference, drum);
        const auto mine = againstKick(own, drum);
        const QString name = QString::fromLatin1(measure::nameOf(drum));
        if (theirs && mine)
            rows << tr("%1: %2 dB against the kick, reference %3 dB, difference %4 dB")
                        .arg(name, signedDb(*mine), signedDb(*theirs), signedDb(*mine - *theirs));
        else if (theirs)
            rows << tr("%1: reference %2 dB against the kick").arg(name, signedDb(*theirs));
        else if (mine)
            rows << tr("%1: %2 dB against the kick, not struck in the reference").arg(name, signedDb(*mine));
    }
    return rows;
}

void ReferencePicture::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const auto* reference = m_model.of(m_model.chosen());
    const auto* own = m_model.own();
    if (reference == nullptr) {
        p.setFont(textFont(13));
        p.setPen(t.faint);
        p.drawText(rect(), Qt::AlignCenter,
                   m_model.chosen() == session::kNoId
                       ? tr("Import a finished mix and give it the role Reference.")
                       : tr("The reference is being measured."));
        return;
    }
    constexpr double kNamePx = 58;
    constexpr double kGapPx = 26;
    constexpr double kTopPx = 30;
    const double patternPx = (width() - kNamePx - kGapPx) * 0.5;
    const QRectF levels(kNamePx + patternPx + kGapPx, kTopPx, width() - kNamePx - patternPx - kGapPx - 60,
                        height() - kTopPx);
    const auto xOf = [&](double db) {
        return levels.left() +
               (std::clamp(db, kLeastDb, kMostDb) - kLeastDb) / (kMostDb - kLeastDb) * levels.width();
    };
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(QRectF(kNamePx, 0, patternPx, 14), Qt::AlignLeft, tr("bar: reference above, this mix below"));
    p.drawText(QRectF(levels.left(), 0, levels.width() + 60, 14), Qt::AlignLeft, tr("dB against the kick"));
    for (double db = kLeastDb; db <= kMostDb; db += 6) {
        p.setPen(QPen(t.line, db == 0 ? 1.6 : 0.8));
        p.drawLine(QPointF(xOf(db), kTopPx - 2), QPointF(xOf(db), height()));
        p.setPen(t.faint);
        p.drawText(QRectF(xOf(db) - 20, 14, 40, 14), Qt::AlignHCenter,
                   pretty(std::to_string(static_cast<int>(db))));
    }
    std::vector<LoopDrum> shown;
    for (std::size_t d = 0; d < measure::kLoopDrums; ++d)
        if (const auto drum = static_cast<LoopDrum>(d);
            reference->drum(drum) != nullptr || (own != nullptr && own->drum(drum) != nullptr))
            shown.push_back(drum);
    const double rowPx = shown.empty() ? 0 : levels.height() / static_cast<double>(shown.size());
    for (std::size_t i = 0; i < shown.size(); ++i) {
        const QRectF row(0, kTopPx + static_cast<double>(i) * rowPx, width(), rowPx);
        p.setFont(textFont(12));
        p.setPen(t.ink);
        p.drawText(QRectF(0, row.top(), kNamePx - 6, rowPx), Qt::AlignRight | Qt::AlignVCenter,
                   QString::fromLatin1(measure::nameOf(shown[i])));
        const auto drawPattern = [&](const kit::DrumMix* mix, double top, double height,
                                     const QColor& color) {
            const auto* drum = mix == nullptr ? nullptr : mix->drum(shown[i]);
            if (drum == nullptr || drum->pattern.empty())
                return;
            const double step = patternPx / static_cast<double>(drum->pattern.size());
            for (std::size_t k = 0; k < drum->pattern.size(); ++k) {
                const double x = kNamePx + static_cast<double>(k) * step;
                p.fillRect(QRectF(x, top + height - 1, step - 2, 1), k % 4 == 0 ? t.faint : t.line);
                const double high = drum->pattern[k] * (height - 2);
                if (drum->pattern[k] > 0.08)
                    p.fillRect(QRectF(x, top + height - 1 - high, step - 2, high), color);
            }
        };
        const double half = std::min(26.0, rowPx / 2 - 3);
        drawPattern(reference, row.center().y() - half - 1, half, t.slate);
        drawPattern(own, row.center().y() + 1, half, t.teal);
        const auto theirs = againstKick(reference, shown[i]);
        const auto mine = againstKick(own, shown[i]);
        const double y = row.center().y();
        if (theirs && mine) {
            p.setPen(QPen(t.faint, 1.2));
            p.drawLine(QPointF(xOf(*theirs), y), QPointF(xOf(*mine), y));
        }
        if (theirs) {
            p.setPen(QPen(t.slate, 2));
            p.drawLine(QPointF(xOf(*theirs), y - 9), QPointF(xOf(*theirs), y + 9));
        }
        if (mine) {
            p.setPen(Qt::NoPen);
            p.setBrush(t.teal);
            p.drawRect(QRectF(xOf(*mine) - 3.5, y - 3.5, 7, 7));
        }
        if (theirs && mine && shown[i] != LoopDrum::Kick) {
            p.setFont(textFont(12, QFont::DemiBold));
            p.setPen(t.ink);
            p.drawText(QRectF(width() - 56, row.top(), 54, rowPx), Qt::AlignRight | Qt::AlignVCenter,
                       signedDb(*mine - *theirs));
        }
    }
}

ReferenceSheet::ReferenceSheet(Document& document, ReferenceModel& model, QWidget* parent)
    : QDialog(parent), m_document(document), m_model(model), m_choice(new QComboBox(this)),
      m_text(new QLabel(this)), m_picture(new ReferencePicture(model, this)), m_momentBox(new QWidget(this)),
      m_momentLayout(new QHBoxLayout(m_momentBox)), m_hear(new QPushButton(tr("hear it while held"), this)) {
    setWindowTitle(tr("References"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(760, 440);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(8);
    auto* top = new QHBoxLayout;
    m_choice->setAccessibleName(tr("Reference"));
    m_choice->setMinimumWidth(180);
    top->addWidget(m_choice);
    m_hear->setToolTip(tr("The reference at the loudness of the mix, or the mix at its (E, held)"));
    top->addWidget(m_hear);
    top->addStretch();
    layout->addLayout(top);
    m_text->setFont(textFont(12));
    m_text->setWordWrap(true);
    layout->addWidget(m_text);
    layout->addWidget(m_picture, 1);
    auto* title = new QLabel(tr("It begins at"), this);
    title->setFont(textFont(12));
    layout->addWidget(title);
    m_momentLayout->setContentsMargins(0, 0, 0, 0);
    m_momentLayout->setSpacing(6);
    layout->addWidget(m_momentBox);
    connect(m_choice, &QComboBox::activated, this,
            [this](int index) { m_model.choose(m_choice->itemData(index).toInt()); });
    connect(m_hear, &QPushButton::pressed, this, [this] { m_model.setHeard(true); });
    connect(m_hear, &QPushButton::released, this, [this] { m_model.setHeard(false); });
    connect(&model, &ReferenceModel::changed, this, &ReferenceSheet::refresh);
    model.setWatched(true);
    refresh();
}

ReferenceSheet::~ReferenceSheet() {
    m_model.setHeard(false);
    m_model.setWatched(false);
}

void ReferenceSheet::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_E && event->modifiers() == Qt::NoModifier && !event->isAutoRepeat())
        m_model.setHeard(true);
    else if (event->key() != Qt::Key_E)
        QDialog::keyPressEvent(event);
}

void ReferenceSheet::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_E && !event->isAutoRepeat())
        m_model.setHeard(false);
    else
        QDialog::keyReleaseEvent(event);
}

QString ReferenceSheet::text() const {
    return m_text->text();
}

void ReferenceSheet::refresh() {
    const auto all = m_model.references();
    const Id chosen = m_model.chosen();
    m_choice->clear();
    for (const Id id : all) {
        m_choice->addItem(QString::fromStdString(m_document.session().nameOf(id)), id);
        if (id == chosen)
            m_choice->setCurrentIndex(m_choice->count() - 1);
    }
    m_choice->setEnabled(all.size() > 1);
    m_hear->setEnabled(!all.empty());
    const auto* reference = m_model.of(chosen);
    const auto* own = m_model.own();
    QStringList told;
    if (reference != nullptr) {
        told << (own != nullptr ? tr("Reference %1, this mix %2").arg(tempoOf(*reference), tempoOf(*own))
                                : tr("Reference %1; this mix is being measured").arg(tempoOf(*reference)));
        told << m_model.matchText();
    }
    m_text->setText(told.join(QStringLiteral("  \u00b7  ")));
    fillMoments();
    m_picture->update();
}

/// Made anew only when others are offered: one of them may be under the pointer.
void ReferenceSheet::fillMoments() {
    const auto* reference = m_model.of(m_model.chosen());
    std::vector<double> times{-1, 0};
    QStringList names{tr("the same place"), tr("its start")};
    if (reference != nullptr)
        for (const auto& stroke : reference->alone) {
            constexpr std::size_t kMostMoments = 8;
            if (times.size() >= kMostMoments)
                break;
            times.push_back(stroke.timeS);
            names << tr("%1 alone, %2")
                         .arg(QString::fromLatin1(measure::nameOf(stroke.drum)), timeOf(stroke.timeS));
        }
    if (times != m_momentTimes) {
        qDeleteAll(m_moments);
        m_moments.clear();
        while (auto* item = m_momentLayout->takeAt(0))
            delete item;
        m_momentTimes = times;
        for (std::size_t i = 0; i < times.size(); ++i) {
            auto* button = new QPushButton(names[static_cast<int>(i)], m_momentBox);
            button->setCheckable(true);
            connect(button, &QPushButton::clicked, this, [this, at = times[i]] { m_model.beginAt(at); });
            m_momentLayout->addWidget(button);
            m_moments << button;
        }
        m_momentLayout->addStretch();
    }
    for (std::size_t i = 0; i < times.size(); ++i)
        m_moments[static_cast<int>(i)]->setChecked(times[i] == m_model.beginsAt() ||
                                                   (times[i] < 0 && m_model.beginsAt() < 0));
}

} // namespace cask::app
