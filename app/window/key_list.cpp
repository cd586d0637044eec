#include "app/window/key_list.h"

#include "app/theme/theme.h"

#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace cask::app {

QList<KeyEntry> benchKeys() {
    const auto t = [](const char* text) { return QObject::tr(text); };
    return {
        {t("arrow keys"), t("next element, next stage"), t("Board")},
        {t("one letter"), t("set the role that shows the letter"), t("Roles, once they are open")},
        {t("Shift with up and down, Ctrl or Shift with a click"), t("select several rows"), t("Board")},
        {t("Esc"), t("select one row again"), t("Board")},
        {t("left and right"), t("shift the chosen microphone by 0.05 ms, with Shift by one sample"),
         t("Intake, two microphones")},
        {t("F"), t("invert the chosen microphone's polarity"), t("Intake, two microphones")},
        {t("H"), t("hear what a finding means, or stop"), t("Findings")},
        {t("T (held)"), t("try what a finding proposes"), t("Findings")},
        {t("K"), t("keep what a finding proposes"), t("Findings")},
        {t("D"), t("lay a finding aside with a reason, or take it up again"), t("Findings")},
        {t("left and right"), t("previous and next own hit"), t("Hits")},
        {t("Alt with left and right"), t("move the chosen hit by 1 ms, with Shift by 0.1 ms"), t("Hits")},
        {t("T, four times or more"), t("tap the tempo"), t("Hits")},
        {t("Insert, Delete"), t("add a hit at the playhead, take the chosen one out"), t("Hits")},
        {t("Enter"), t("hear the selected hits, one after the other, or stop"), t("Hits")},
        {t("Ctrl with a click"), t("one more hit, or one less"), t("Hit strip")},
        {t("drag"), t("select the hits in a box"), t("Hit strip")},
        {t("arrow keys"), t("level and position of the chosen element"), t("Balance")},
        {t("Shift with arrows"), t("fine steps"), t("everywhere")},
        {t("B"), t("add a bell"), t("Tone")},
        {t("N"), t("next band"), t("Tone")},
        {t("arrow keys"), t("frequency and gain of the chosen band"), t("Tone")},
        {t("+ and -"), t("wider, narrower"), t("Tone")},
        {t("H (held)"), t("solo the chosen band"), t("Tone")},
        {t("G (held)"), t("sweep: a narrow boost follows the pointer; click or Enter cuts it"), t("Tone")},
        {t("S (held)"), t("hear the chosen module and the next one in the other order"), t("Tone")},
        {t("P (held)"), t("hear the chain without the chosen module, at the same loudness"), t("Tone")},
        {t("V"), t("beside own hits: spill, noise, the kit, the usual range"), t("Tone")},
        {t("Delete"), t("remove the chosen band"), t("Tone")},
        {t("Page up, Page down"), t("the same value of the element above or below"), t("Quick sheet")},
        {t("arrow keys"), t("the playhead by beats, the value there"), t("rides on the strip")},
        {t("Delete"), t("take the nearest point of the ride out"), t("rides on the strip")},
        {t("Alt with 2, 5, 0"), t("spread of 20, 50 and 100 %, equally loud"), t("Balance")},
        {t("digits"), t("type a value with its unit"), t("value bars")},
        {t("Enter"), t("edit the value as text"), t("value bars")},
        {t("E (held)"), t("hear the reference at the same loudness"), t("everywhere")},
        {t("C (held)"), t("hear the untouched kit at the same loudness"), t("everywhere")},
    };
}

KeyList::KeyList(const QList<KeyEntry>& keys, QWidget* parent)
    : QDialog(parent), m_search(new QLineEdit(this)), m_list(new QListWidget(this)) {
    setWindowTitle(tr("Keys"));
    resize(520, 560);
    auto* layout = new QVBoxLayout(this);
    m_search->setPlaceholderText(tr("Search for a key or what it does"));
    m_search->setAccessibleName(tr("Search"));
    layout->addWidget(m_search);
    layout->addWidget(m_list, 1);
    for (const auto& entry : keys)
        m_list->addItem(QStringLiteral("%1   \u2014   %2   (%3)").arg(entry.keys, entry.what, entry.where));
    connect(m_search, &QLineEdit::textChanged, this, &KeyList::filter);
}

void KeyList::filter(const QString& text) {
    for (int i = 0; i < m_list->count(); ++i)
        m_list->item(i)->setHidden(!m_list->item(i)->text().contains(text, Qt::CaseInsensitive));
}

int KeyList::shownRows() const {
    int rows = 0;
    for (int i = 0; i < m_list->count(); ++i)
        rows += m_list->item(i)->isHidden() ? 0 : 1;
    return rows;
}

} // namespace cask::app
