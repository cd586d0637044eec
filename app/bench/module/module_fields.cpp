#include "app/bench/module/module_fields.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {

using session::ParameterInfo;
using session::ParameterKind;

ModuleFields::ModuleFields(Document& document, const session::ModuleSettings& standard, QWidget* parent)
    : QWidget(parent), m_document(document), m_standard(standard), m_layout(new QVBoxLayout(this)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(6);
}

QHBoxLayout* ModuleFields::addRow(const std::vector<std::string>& ids) {
    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    bool hasBars = false;
    for (const auto& id : ids)
        for (const auto* info : session::parametersOf(m_standard))
            if (info->id == id) {
                QWidget* widget = make(*info);
                const bool isBar = info->kind == ParameterKind::Number;
                hasBars = hasBars || isBar;
                row->addWidget(widget, isBar ? 1 : 0);
            }
    if (!hasBars)
        row->addStretch();
    m_layout->addLayout(row);
    return row;
}

QWidget* ModuleFields::make(const ParameterInfo& info) {
    const std::string id(info.id);
    Row row{&info};
    QWidget* shown = nullptr;
    if (info.kind == ParameterKind::Number) {
        row.bar = new ValueBar(info, this);
        connect(row.bar, &ValueBar::valueEdited, this,
                [this, id](double value, bool isDragging) { edit(id, value, isDragging); });
        connect(row.bar, &ValueBar::editFinished, &m_document, &Document::endMerge);
        shown = row.bar;
    } else if (info.kind == ParameterKind::Choice) {
        QStringList list;
        for (const auto word : info.choiceWords)
            list << words(word);
        shown = new QWidget(this);
        auto* layout = new QHBoxLayout(shown);
        layout->setContentsMargins(0, 0, 0, 0);
        layout->setSpacing(6);
        auto* label = new QLabel(words(info.words), shown);
        label->setFont(textFont(12));
        row.choice = new ChoiceRow(list, shown);
        row.choice->setAccessibleName(words(info.words));
        row.choice->setToolTip(words(info.help));
        layout->addWidget(label);
        layout->addWidget(row.choice);
        connect(row.choice, &ChoiceRow::choiceEdited, this,
                [this, id](int index) { edit(id, index, false); });
    } else {
        row.box = new QCheckBox(words(info.words), this);
        row.box->setToolTip(words(info.help));
        connect(row.box, &QCheckBox::clicked, this, [this, id](bool on) { edit(id, on ? 1 : 0, false); });
        shown = row.box;
    }
    m_rows.push_back(row);
    return shown;
}

void ModuleFields::edit(const std::string& id, double value, bool isDragging) {
    editModuleValue(m_document, m_at, m_section, id, value, isDragging, [&](session::Module& m) {
        if (goAlong)
            goAlong(m, id);
    });
}

void ModuleFields::showModule(const ModuleAt& at, const std::string& section) {
    showModule(at, m_standard, section);
}

void ModuleFields::showModule(const ModuleAt& at, const session::ModuleSettings& elseShown,
                              const std::string& section) {
    m_at = at;
    m_section = section;
    const auto* m = findModule(m_document.session(), at);
    const auto settings = m == nullptr ? elseShown : session::settingsIn(*m, section);
    for (auto& row : m_rows) {
        const double value = session::valueOf(settings, row.info->id).value_or(row.info->standard);
        const bool isEnabled = m != nullptr && (section.empty() || row.info->glides) &&
                               (!isUsed || isUsed(settings, row.info->id));
        if (row.bar != nullptr) {
            row.bar->setValue(value);
            row.bar->setEnabled(isEnabled);
        } else if (row.choice != nullptr) {
            row.choice->setChosen(static_cast<int>(std::lround(value)));
            row.choice->setEnabled(isEnabled);
        } else {
            row.box->setChecked(value > 0.5);
            row.box->setEnabled(isEnabled);
        }
    }
}

ValueBar* ModuleFields::bar(std::string_view id) const {
    const auto row =
        std::find_if(m_rows.begin(), m_rows.end(), [&](const Row& r) { return r.info->id == id; });
    return row == m_rows.end() ? nullptr : row->bar;
}

ChoiceRow* ModuleFields::choice(std::string_view id) const {
    const auto row =
        std::find_if(m_rows.begin(), m_rows.end(), [&](const Row& r) { return r.info->id == id; });
    return row == m_rows.end() ? nullptr : row->choice;
}

} // namespace cask::app
