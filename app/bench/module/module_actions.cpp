#include "app/bench/module/module_actions.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>

#include <algorithm>

namespace cask::app {
namespace {

QLabel* label(const QString& text, QWidget* parent) {
    auto* l = new QLabel(text, parent);
    l->setFont(textFont(12));
    return l;
}

bool canHearOthers(const session::Module& module) {
    bool can = false;
    session::withSettings(module.settings, [&]<class T>(const T&) { can = session::KindOf<T>::hearsKey; });
    return can;
}

} // namespace

ModuleActions::ModuleActions(Document& document, const QStringList& kinds, QWidget* parent)
    : QWidget(parent), m_document(document), m_kinds(kinds), m_row(new QHBoxLayout(this)),
      m_which(new QComboBox(this)), m_on(new QCheckBox(tr("on"), this)), m_keyLabel(label(tr("key"), this)),
      m_key(new KeyBox(this)),
      m_tap(new ChoiceRow(
          {words(session::keyTapInfo().choiceWords[0]), words(session::keyTapInfo().choiceWords[1])}, this)),
      m_section(new SectionBox(this)), m_remove(new QPushButton(tr("remove"), this)) {
    m_row->setContentsMargins(0, 0, 0, 0);
    m_row->setSpacing(kinds.size() > 1 ? 4 : 8);
    // Names give way before buttons do.
    m_key->setMinimumWidth(52);
    m_which->setMinimumWidth(64);
    m_section->setMinimumWidth(44);
    m_which->setAccessibleName(tr("Which one"));
    m_which->setToolTip(tr("Which of them is set here"));
    m_key->setAccessibleName(tr("What it listens to"));
    m_key->setToolTip(tr("What drives its gain: its own sound, another element, or a bus"));
    m_tap->setAccessibleName(words(session::keyTapInfo().words));
    m_tap->setToolTip(words(session::keyTapInfo().help));
    m_section->setToolTip(tr("Values that glide may differ in a section"));
    for (const auto& kind : kinds) {
        m_add.push_back(new QPushButton(tr("Add a %1").arg(kind), this));
        if (kinds.size() > 1)
            m_add.back()->setStyleSheet(QStringLiteral("padding: 4px 4px"));
        m_add.back()->setSizePolicy(QSizePolicy::Minimum, QSizePolicy::Fixed); // its name stays whole
        m_row->addWidget(m_add.back());
    }
    for (QWidget* widget :
         {static_cast<QWidget*>(m_which), static_cast<QWidget*>(m_on), static_cast<QWidget*>(m_keyLabel),
          static_cast<QWidget*>(m_key), static_cast<QWidget*>(m_tap)})
        m_row->addWidget(widget);
    if (kinds.size() == 1) { // else there is room for it elsewhere
        m_row->addWidget(label(tr("section"), this));
        m_row->addWidget(m_section);
    }
    m_row->addStretch();
    m_row->addWidget(m_remove);
    if (kinds.size() > 1)
        m_remove->setStyleSheet(QStringLiteral("padding: 4px 6px"));
    connectAll();
}

void ModuleActions::connectAll() {
    for (std::size_t i = 0; i < m_add.size(); ++i)
        connect(m_add[i], &QPushButton::clicked, this, [this, i] { emit wantsAdd(static_cast<int>(i)); });
    connect(m_on, &QCheckBox::clicked, this, [this](bool on) { setModuleOn(m_document, m_at, on); });
    connect(m_remove, &QPushButton::clicked, this, [this] { removeModule(m_document, m_at); });
    connect(m_which, &QComboBox::activated, this,
            [this](int index) { emit moduleChosen(m_which->itemData(index).toInt()); });
    connect(m_key, &QComboBox::activated, this, [this](int index) {
        setModuleKey(m_document, m_at, m_key->itemData(index).toInt());
        emit wantsRefresh();
    });
    connect(m_tap, &ChoiceRow::choiceEdited, this, [this](int index) {
        setModuleKeyTap(m_document, m_at, static_cast<session::KeyTap>(index));
        emit wantsRefresh();
    });
    connect(m_section, &QComboBox::activated, this, &ModuleActions::wantsRefresh);
}

void ModuleActions::showModules(Id owner, const std::vector<const session::Module*>& modules,
                                const session::Module* chosen) {
    const auto& session = m_document.session();
    const bool has = chosen != nullptr;
    m_at = {owner, has ? chosen->id : session::kNoId};
    for (std::size_t i = 0; i < m_add.size(); ++i) {
        const QString kind = m_kinds[static_cast<int>(i)];
        constexpr std::size_t kMostInWords = 3; // more do not fit in the smallest window
        m_add[i]->setText(!has && m_add.size() <= kMostInWords ? tr("Add a %1").arg(kind)
                          : m_add.size() > 1 ? tr("+ %1").arg(kind) // beside all that sets the one there is
                                             : tr("Add another"));
        m_add[i]->setEnabled(session.chain(owner) != nullptr);
        m_add[i]->setVisible(!has || !m_isOnlyOne);
    }
    const QSignalBlocker blocker(m_which);
    m_which->clear();
    for (const auto* m : modules)
        m_which->addItem(words(session::wordsOf(*m)), m->id);
    m_which->setCurrentIndex(std::max(0, m_which->findData(m_at.module)));
    m_which->setVisible(m_which->count() > 1);
    m_on->setVisible(has);
    m_on->setChecked(has && chosen->isOn);
    const bool hears = !has || canHearOthers(*chosen);
    m_key->fill(session, owner, chosen);
    m_key->setVisible(hears);
    m_keyLabel->setVisible(hears);
    const bool isElement = has && session.element(chosen->key) != nullptr;
    m_tap->setVisible(isElement);
    if (isElement)
        m_tap->setChosen(static_cast<int>(chosen->keyTap));
    m_section->fill(session);
    for (QWidget* widget :
         {static_cast<QWidget*>(m_key), static_cast<QWidget*>(m_section), static_cast<QWidget*>(m_remove)})
        widget->setEnabled(has);
}

void ModuleActions::addToEnd(QWidget* widget) {
    m_row->addWidget(widget);
}

} // namespace cask::app
