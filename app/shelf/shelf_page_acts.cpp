// What is done on the Shelf page, by buttons and keys.
#include "app/shelf/shelf_map_picture.h"
#include "app/shelf/shelf_page.h"
#include "app/widgets/choice_row.h"

#include <QFileDialog>
#include <QKeyEvent>
#include <QLineEdit>
#include <QTableView>

#include <algorithm>
#include <array>

namespace cask::app {

void ShelfPage::addFolder() {
    const QString folder =
        askForFolder ? askForFolder() : QFileDialog::getExistingDirectory(this, tr("Folder of one-shots"));
    if (!folder.isEmpty())
        m_model->addFolder(folder.toStdString());
}

void ShelfPage::hearOrStop() {
    if (!m_model->heard().empty()) {
        m_model->endHearing();
        m_desk.playback.stop();
    } else if (const auto* sound = chosen()) {
        m_model->hear(sound->file, static_cast<project::TrialPlace>(m_place->chosen()));
    }
}

void ShelfPage::askLike() {
    if (const auto* sound = chosen())
        m_model->askLike(sound->file);
}

void ShelfPage::askComplement() {
    if (const auto* sound = chosen())
        m_model->askComplement(sound->file);
}

void ShelfPage::takeSound() {
    const auto* sound = chosen();
    if (sound == nullptr)
        return;
    const QStringList files{QString::fromStdString(sound->file.string())};
    m_model->endHearing();
    emit soundTaken(files);
}

bool ShelfPage::eventFilter(QObject* watched, QEvent* event) {
    const auto type = event->type();
    if (watched != m_table || (type != QEvent::KeyPress && type != QEvent::ShortcutOverride))
        return QWidget::eventFilter(watched, event);
    constexpr std::array kKeys = {Qt::Key_Return, Qt::Key_Enter, Qt::Key_L,
                                  Qt::Key_K,      Qt::Key_A,     Qt::Key_Escape};
    const auto* pressed = static_cast<QKeyEvent*>(event);
    if (std::find(kKeys.begin(), kKeys.end(), pressed->key()) == kKeys.end() ||
        (pressed->modifiers() & (Qt::ControlModifier | Qt::AltModifier)) != 0)
        return false;
    if (type == QEvent::ShortcutOverride) { // here they are no keys of the menu
        event->accept();
        return true;
    }
    switch (pressed->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter:
        hearOrStop();
        return true;
    case Qt::Key_L:
        askLike();
        return true;
    case Qt::Key_K:
        askComplement();
        return true;
    case Qt::Key_A:
        takeSound();
        return true;
    case Qt::Key_Escape:
        if (m_model->question() == ShelfModel::Question::Search)
            m_map->clearBox();
        else
            m_model->search(query());
        return true;
    default:
        return false;
    }
}

void ShelfPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model->setActive(true);
    m_words->setFocus();
}

void ShelfPage::hideEvent(QHideEvent* event) {
    m_model->setActive(false);
    QWidget::hideEvent(event);
}

} // namespace cask::app
