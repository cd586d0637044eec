#include "app/bench/module/chain_order_row.h"

#include "app/theme/theme.h"
#include "core/session/kinds.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>

#include <algorithm>

namespace cask::app {
namespace {

constexpr double kHeardS = 4;

QString nameInRow(const session::Module& m) {
    const QString name = std::holds_alternative<session::UnknownModule>(m.settings)
                             ? QObject::tr("not understood")
                             : QString::fromStdString(session::wordsOf(m));
    return m.isOn ? name : QObject::tr("%1 (off)").arg(name);
}

} // namespace

ChainOrderRow::ChainOrderRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_layout(new QHBoxLayout(this)), m_order(new QLabel(this)),
      m_earlier(new QPushButton(tr("earlier"), this)), m_later(new QPushButton(tr("later"), this)),
      m_hear(new QPushButton(tr("swapped"), this)), m_bypass(new QPushButton(tr("bypassed"), this)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(8);
    m_order->setFont(textFont(12));
    m_order->setTextFormat(Qt::RichText);
    m_order->setMinimumWidth(10); // a long chain gives way to the buttons
    m_layout->addWidget(m_order, 1);
    m_earlier->setToolTip(tr("Moves the chosen module one place earlier in the chain"));
    m_later->setToolTip(tr("Moves the chosen module one place later in the chain"));
    m_hear->setToolTip(tr("Hold to hear the chosen module and the next one in the other order, at the same "
                          "loudness (S)"));
    m_bypass->setToolTip(tr("Hold to hear the chain without the chosen module, at the same loudness (P)"));
    add(m_earlier);
    add(m_later);
    auto* title = new QLabel(tr("hear"), this);
    title->setFont(textFont(12));
    m_layout->addSpacing(4);
    m_layout->addWidget(title);
    add(m_hear);
    add(m_bypass);
    connect(m_earlier, &QPushButton::clicked, this, [this] { move(-1); });
    connect(m_later, &QPushButton::clicked, this, [this] { move(1); });
    connect(m_hear, &QPushButton::pressed, this, [this] { hearSwapped(true); });
    connect(m_hear, &QPushButton::released, this, [this] { hearSwapped(false); });
    connect(m_bypass, &QPushButton::pressed, this, [this] { hearBypassed(true); });
    connect(m_bypass, &QPushButton::released, this, [this] { hearBypassed(false); });
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &ChainOrderRow::refresh);
    refresh();
}

void ChainOrderRow::add(QPushButton* button) {
    button->setFocusPolicy(Qt::TabFocus);
    button->setStyleSheet(QStringLiteral("padding: 4px 8px")); // all of them fit the smallest window
    m_layout->addWidget(button);
}

void ChainOrderRow::addInFront(const QString& title, QWidget* widget) {
    auto* label = new QLabel(title, this);
    label->setFont(textFont(12));
    m_layout->insertWidget(0, label);
    m_layout->insertWidget(1, widget);
    m_layout->insertSpacing(2, 8);
}

void ChainOrderRow::setModule(Id module) {
    m_module = module;
    refresh();
}

QString ChainOrderRow::orderText() const {
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    QStringList names;
    if (chain != nullptr)
        for (const auto& m : *chain) {
            const QString name = nameInRow(m);
            names << (m.id == m_module ? QStringLiteral("<b>%1</b>").arg(name) : name);
        }
    return names.isEmpty() ? tr("nothing yet") : names.join(QStringLiteral(" \u2192 "));
}

QString ChainOrderRow::fittingText() const {
    QStringList names = orderText().split(QStringLiteral(" \u2192 "));
    qsizetype at = 0;
    for (qsizetype i = 0; i < names.size(); ++i)
        if (names[i].startsWith(QStringLiteral("<b>")))
            at = i;
    qsizetype first = 0;
    qsizetype last = names.size();
    const QFontMetrics metrics(textFont(12, QFont::DemiBold));
    const auto text = [&] {
        QStringList shown = names.mid(first, last - first);
        if (first > 0)
            shown.prepend(QStringLiteral("\u2026"));
        if (last < names.size())
            shown.append(QStringLiteral("\u2026"));
        return tr("order: %1").arg(shown.join(QStringLiteral(" \u2192 ")));
    };
    const auto isTooWide = [&] {
        return metrics.horizontalAdvance(
                   text().remove(QStringLiteral("<b>")).remove(QStringLiteral("</b>"))) > m_order->width();
    };
    while (last - first > 1 && isTooWide())
        (last - 1 - at > at - first ? --last : ++first); // the farther end
    return text();
}

void ChainOrderRow::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    m_order->setText(fittingText());
}

void ChainOrderRow::refresh() {
    m_order->setText(fittingText());
    m_order->setToolTip(tr("order: %1").arg(orderText()));
    m_earlier->setEnabled(neighbour(-1) != session::kNoId);
    m_later->setEnabled(neighbour(1) != session::kNoId);
    m_bypass->setEnabled(m_module != session::kNoId);
    m_hear->setEnabled(neighbour(1) != session::kNoId || neighbour(-1) != session::kNoId);
}

Id ChainOrderRow::neighbour(int by) const {
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    if (chain == nullptr)
        return session::kNoId;
    const auto it = std::find_if(chain->begin(), chain->end(),
                                 [&](const session::Module& m) { return m.id == m_module; });
    const auto at = it - chain->begin() + by;
    return it == chain->end() || at < 0 || at >= static_cast<std::ptrdiff_t>(chain->size())
               ? session::kNoId
               : (*chain)[static_cast<std::size_t>(at)].id;
}

void ChainOrderRow::move(int by) {
    const Id owner = m_desk.document.selected();
    const Id other = neighbour(by);
    if (other == session::kNoId)
        return;
    const auto& s = m_desk.document.session();
    m_desk.document.edit(session::withModulesSwapped(s, owner, m_module, other),
                         tr("Order, %1").arg(QString::fromStdString(s.nameOf(owner))));
}

void ChainOrderRow::hear(const std::function<session::Session(session::Session)>& change) {
    Audition audition;
    audition.fromS = m_desk.playback.positionS();
    audition.toS = audition.fromS + kHeardS;
    audition.change = change;
    m_desk.playback.audition(audition);
}

void ChainOrderRow::hearSwapped(bool on) {
    const Id other = neighbour(1) != session::kNoId ? neighbour(1) : neighbour(-1);
    if (!on)
        endHearing();
    else if (other != session::kNoId)
        hear([owner = m_desk.document.selected(), module = m_module, other](session::Session s) {
            return session::withModulesSwapped(std::move(s), owner, module, other);
        });
}

void ChainOrderRow::takeKeysOf(QWidget* bench) {
    bench->installEventFilter(this);
}

bool ChainOrderRow::eventFilter(QObject* bench, QEvent* event) {
    if (event->type() == QEvent::Hide) {
        endHearing();
    } else if (event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const bool isDown = event->type() == QEvent::KeyPress;
        // It may be let go of with another key down.
        if (!key->isAutoRepeat() && (!isDown || key->modifiers() == Qt::NoModifier) &&
            holdKey(key->key(), isDown))
            return true;
    }
    return QWidget::eventFilter(bench, event);
}

bool ChainOrderRow::holdKey(int key, bool on) {
    if (key == Qt::Key_P)
        hearBypassed(on);
    else if (key == Qt::Key_S)
        hearSwapped(on);
    else
        return false;
    return true;
}

void ChainOrderRow::hearBypassed(bool on) {
    if (!on)
        endHearing();
    else if (m_module != session::kNoId)
        hear([module = m_module](session::Session s) {
            return session::withModule(std::move(s), module, [](session::Module& m) { m.isOn = !m.isOn; });
        });
}

void ChainOrderRow::endHearing() {
    if (m_desk.playback.isAuditioning())
        m_desk.playback.endAudition();
}

} // namespace cask::app
