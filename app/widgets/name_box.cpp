#include "app/widgets/name_box.h"

#include "app/theme/theme.h"

#include <QDialogButtonBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace cask::app {

NameBox::NameBox(const QString& title, const QString& current, std::function<void(const QString&)> take,
                 QWidget* parent)
    : QDialog(parent), m_line(new QLineEdit(current, this)) {
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(title);
    auto* layout = new QVBoxLayout(this);
    auto* label = new QLabel(title, this);
    label->setFont(textFont(13));
    layout->addWidget(label);
    m_line->setAccessibleName(title);
    m_line->selectAll();
    layout->addWidget(m_line);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    layout->addWidget(buttons);
    const auto check = [this, buttons] {
        buttons->button(QDialogButtonBox::Ok)->setEnabled(!m_line->text().trimmed().isEmpty());
    };
    connect(m_line, &QLineEdit::textChanged, this, check);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(buttons, &QDialogButtonBox::accepted, this, [this, take = std::move(take)] {
        take(m_line->text().trimmed());
        accept();
    });
    check();
    resize(360, sizeHint().height());
}

} // namespace cask::app
