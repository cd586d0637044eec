#include "app/bench/punch/wish_row.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>

namespace cask::app {
namespace {

constexpr std::size_t kMostShown = 3;

QStringList wishList() {
    QStringList list;
    for (const auto word : measure::kWishWords)
        list << QString::fromUtf8(word.data(), static_cast<int>(word.size()));
    return list;
}

QPushButton* smallButton(const QString& text, const QString& help, QWidget* parent) {
    auto* button = new QPushButton(text, parent);
    button->setFont(textFont(12));
    button->setStyleSheet(QStringLiteral("padding: 1px 9px;"));
    button->setToolTip(help);
    return button;
}

} // namespace

WishRow::WishRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk),
      m_model(new WishModel(desk.document, desk.analyst, desk.hits, desk.playback, this)),
      m_wishes(new ChoiceRow(wishList(), this)), m_key(new QComboBox(this)),
      m_stop(smallButton(tr("stop"), tr("Stops the search"), this)), m_state(new QLabel(this)),
      m_answers(new QVBoxLayout) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* title = new QLabel(tr("wish"), this);
    title->setFont(textFont(12));
    title->setBuddy(m_wishes);
    m_wishes->setChosen(-1);
    m_wishes->setAccessibleName(tr("Wish"));
    m_wishes->setToolTip(
        tr("What you want of the hits: ways to it are searched on the take itself, the gentlest "
           "that reach it first"));
    m_key->setAccessibleName(tr("Duck under"));
    m_key->setToolTip(tr("Whom it makes room for"));
    m_key->setMinimumWidth(72);
    m_state->setFont(textFont(12));
    row->addWidget(title);
    row->addWidget(m_wishes);
    row->addWidget(m_key);
    row->addWidget(m_state, 1);
    row->addWidget(m_stop);
    layout->addLayout(row);
    m_answers->setSpacing(2);
    layout->addLayout(m_answers);
    connect(m_wishes, &ChoiceRow::choiceEdited, this, &WishRow::search);
    connect(m_key, &QComboBox::activated, this, &WishRow::search);
    connect(m_stop, &QPushButton::clicked, m_model, &WishModel::forget);
    connect(m_model, &WishModel::changed, this, &WishRow::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &WishRow::refresh);
    connect(&desk.document, &Document::changed, this, &WishRow::fillKeys);
    connect(&desk.document, &Document::selectionChanged, this, &WishRow::fillKeys);
    fillKeys();
    refresh();
}

void WishRow::fillKeys() {
    const Id before = m_key->currentData().toInt();
    const auto& s = m_desk.document.session();
    m_key->clear();
    int kick = -1;
    for (const auto& e : s.elements) {
        if (e->id == m_desk.document.selected())
            continue;
        if (kick < 0 && (e->role == Role::KickIn || e->role == Role::KickOut))
            kick = m_key->count();
        m_key->addItem(QString::fromStdString(e->name), e->id);
    }
    const int again = m_key->findData(before);
    m_key->setCurrentIndex(again >= 0 ? again : std::max(0, kick));
}

void WishRow::search() {
    if (m_wishes->chosen() < 0)
        return;
    const auto wish = static_cast<measure::Wish>(m_wishes->chosen());
    m_model->search(wish, m_key->currentData().toInt(), m_desk.findings.style());
    m_wishes->setChosen(static_cast<int>(wish)); // the search that went before is forgotten
    refresh();
}

QString WishRow::stateText() const {
    if (m_model->isSearching())
        return tr("trying ways ...");
    if (!m_model->asked())
        return m_desk.hits.shared() == nullptr ? tr("hits are being found") : QString();
    if (m_model->answers().empty())
        return tr("no hits on which it could be judged");
    return m_model->answers().front().measured.isReached ? QString() : tr("no way reaches it");
}

void WishRow::refresh() {
    if (!m_model->asked())
        m_wishes->setChosen(-1);
    const bool ducks = m_wishes->chosen() == static_cast<int>(measure::Wish::Duck);
    m_key->setVisible(ducks);
    m_stop->setVisible(m_model->isSearching());
    m_state->setText(stateText());
    setEnabled(m_desk.document.session().chain(m_desk.document.selected()) != nullptr);
    showAnswers();
}

void WishRow::showAnswers() {
    for (auto* row : m_rows)
        row->deleteLater();
    m_rows.clear();
    m_tries.clear();
    m_takes.clear();
    const std::size_t count = std::min(kMostShown, m_model->answers().size());
    for (std::size_t i = 0; i < count; ++i) {
        auto* row = new QWidget(this);
        auto* layout = new QHBoxLayout(row);
        layout->setContentsMargins(0, 0, 0, 0);
        layout->setSpacing(8);
        auto* sentence = new QLabel(m_model->sentence(i), row);
        sentence->setFont(textFont(12));
        sentence->setWordWrap(true);
        if (!m_model->answers()[i].measured.isReached)
            sentence->setForegroundRole(QPalette::PlaceholderText);
        auto* hear = smallButton(tr("try"), tr("While held: with this way taken, at the same loudness"), row);
        auto* take = smallButton(tr("take"), tr("Adds its modules to the chain"), row);
        hear->setAccessibleName(tr("Try: %1").arg(m_model->sentence(i)));
        take->setAccessibleName(tr("Take: %1").arg(m_model->sentence(i)));
        connect(hear, &QPushButton::pressed, m_model, [this, i] { m_model->setTrying(i, true); });
        connect(hear, &QPushButton::released, m_model, [this, i] { m_model->setTrying(i, false); });
        connect(take, &QPushButton::clicked, m_model, [this, i] { m_model->take(i); });
        layout->addWidget(sentence, 1);
        layout->addWidget(hear);
        layout->addWidget(take);
        m_answers->addWidget(row);
        m_rows.push_back(row);
        m_tries.push_back(hear);
        m_takes.push_back(take);
    }
}

} // namespace cask::app
