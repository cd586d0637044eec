#include "app/bench/module/module_boxes.h"

#include <algorithm>

namespace cask::app {

void KeyBox::fill(const session::Session& s, Id owner, const session::Module* module) {
    clear();
    addItem(tr("itself"), session::kNoId);
    for (const auto& e : s.elements)
        if (e->id != owner)
            addItem(QString::fromStdString(e->name), e->id);
    for (const auto& b : s.buses)
        if (!b->isMaster && b->id != owner)
            addItem(tr("%1 (bus)").arg(QString::fromStdString(b->name)), b->id);
    setCurrentIndex(std::max(0, findData(module == nullptr ? session::kNoId : module->key)));
}

SectionBox::SectionBox(QWidget* parent) : QComboBox(parent) {
    setAccessibleName(tr("Where these values hold"));
}

void SectionBox::fill(const session::Session& s) {
    const QString chosen = currentData().toString();
    clear();
    addItem(tr("all"), QString());
    for (const auto& section : s.sections) {
        const QString name = QString::fromStdString(section.name);
        if (findData(name) < 0)
            addItem(name, name);
    }
    setCurrentIndex(std::max(0, findData(chosen)));
}

MoreButton::MoreButton(QWidget* parent) : QToolButton(parent) {
    setText(tr("more"));
    setCheckable(true);
    setArrowType(Qt::RightArrow);
    setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
}

void MoreButton::opens(QWidget* widget) {
    widget->setVisible(isChecked());
    connect(this, &QToolButton::toggled, widget, [this, widget](bool on) {
        setArrowType(on ? Qt::DownArrow : Qt::RightArrow);
        widget->setVisible(on);
    });
}

} // namespace cask::app
