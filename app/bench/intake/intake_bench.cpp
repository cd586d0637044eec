#include "app/bench/intake/intake_bench.h"

#include "app/bench/intake/intake_picture.h"
#include "app/bench/intake/pair_bench.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/role_chooser.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

bool isOfRightSide(const session::ParameterInfo& info) {
    return info.id.starts_with("right_");
}

} // namespace

IntakeBench::IntakeBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_view(new ChoiceRow({tr("the file")}, this)),
      m_pairBench(new PairBench(desk, this)), m_picture(new IntakePicture(desk, this)),
      m_facts(new QLabel(this)), m_role(new QPushButton(this)), m_roles(new RoleChooser(this)),
      m_pair(new QPushButton(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Intake bench"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    m_view->setAccessibleName(tr("What the picture shows"));
    auto* viewRow = new QHBoxLayout;
    viewRow->addWidget(m_view);
    viewRow->addStretch();
    viewRow->addWidget(m_role);
    viewRow->addWidget(m_pair);
    layout->addLayout(viewRow);
    layout->addWidget(m_picture, 1);
    layout->addWidget(m_pairBench, 1);
    connect(m_view, &ChoiceRow::choiceEdited, this, &IntakeBench::chooseView);
    m_facts->setFont(textFont(13));
    m_facts->setTextFormat(Qt::RichText);
    m_facts->setWordWrap(true);
    layout->addWidget(m_facts);

    m_role->setFocusPolicy(Qt::TabFocus);
    m_role->setToolTip(tr("Sets the role of all selected elements (R, then its letter)"));
    connect(m_role, &QPushButton::clicked, this, &IntakeBench::chooseRole);
    connect(m_roles, &RoleChooser::chosen, this, &IntakeBench::setRole);

    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    auto* right = new QHBoxLayout; // of the right side against the left, where there are two
    right->setSpacing(16);
    for (const auto& field : session::inputFields()) {
        if (field.info.kind == session::ParameterKind::Number) {
            auto* bar = new ValueBar(field.info, this);
            connect(bar, &ValueBar::valueEdited, this,
                    [this, f = &field](double value, bool dragging) { editInput(*f, value, dragging); });
            connect(bar, &ValueBar::editFinished, &desk.document, &Document::endMerge);
            (isOfRightSide(field.info) ? right : row)->addWidget(bar);
            m_bars.emplace_back(&field, bar);
        } else {
            auto* box = new QCheckBox(words(field.info.words), this);
            box->setToolTip(words(field.info.help));
            connect(box, &QCheckBox::clicked, this,
                    [this, f = &field](bool on) { editInput(*f, on ? 1 : 0, false); });
            (isOfRightSide(field.info) ? right : row)->addWidget(box);
            m_switches.emplace_back(&field, box);
        }
    }
    layout->addLayout(row);
    right->addStretch();
    layout->addLayout(right);
    connect(m_pair, &QPushButton::clicked, this, &IntakeBench::joinOrPart);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &IntakeBench::refresh);
    connect(&desk.analyst, &Analyst::fileChanged, this, &IntakeBench::refresh);
    refresh();
}

void IntakeBench::chooseRole() {
    const auto& s = m_desk.document.session();
    std::optional<Role> now;
    for (const Id id : m_desk.document.selection())
        if (const auto* e = s.element(id); e != nullptr)
            now = !now || *now == e->role ? std::optional(e->role) : std::optional<Role>();
    const QWidget* by = m_role->isVisible() ? static_cast<QWidget*>(m_role) : window();
    m_roles->open(by->mapToGlobal(by == m_role ? QPoint(0, m_role->height()) : QPoint(300, 120)), now);
}

ValueBar* IntakeBench::bar(const QString& id) const {
    for (const auto& [field, bar] : m_bars)
        if (words(field->info.id) == id)
            return bar;
    return nullptr;
}

QString IntakeBench::summary() const {
    const auto& analyst = m_desk.analyst;
    if (analyst.isBusy())
        return tr("%1 of %2 files measured").arg(analyst.filesDone()).arg(analyst.filesTotal());
    int problems = 0;
    for (const auto& e : m_desk.document.session().elements)
        problems += m_desk.findings.openCount(e->id, Stage::Intake) > 0 ? 1 : 0;
    return problems == 0 ? tr("%1 files, all sound").arg(analyst.filesTotal())
                         : tr("%1 files, %2 want attention").arg(analyst.filesTotal()).arg(problems);
}

QString IntakeBench::factsText() const {
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_desk.document.selected());
    const auto* state = e == nullptr ? nullptr : m_desk.analyst.element(e->id);
    const auto* file = e == nullptr ? nullptr : s.file(e->channels.front().file);
    if (file == nullptr)
        return {};
    QStringList cells;
    const auto add = [&](const QString& name, QString value) {
        if (name != tr("file")) // a number and its unit stay on one line
            value.replace(QLatin1Char(' '), QStringLiteral("&nbsp;"));
        cells << QStringLiteral("<span style='color:%1'>%2</span>&nbsp;<b>%3</b>")
                     .arg(theme().faint.name(), name, value);
    };
    const QString name =
        QString::fromStdString(std::filesystem::path(file->path).filename().string()).toHtmlEscaped();
    add(tr("file"), name);
    add(tr("format"), tr("%1, %2 kHz, %3")
                          .arg(QString::fromStdString(file->format))
                          .arg(file->sampleRateHz / 1000)
                          .arg(e->isStereo() ? tr("stereo") : tr("mono")));
    if (e->roleConfidence <= 0)
        add(tr("role"), tr("no idea yet"));
    else if (e->roleConfidence < 1)
        add(tr("role"), tr("guessed, confidence %1 %").arg(std::lround(100 * e->roleConfidence)));
    // What a stack strikes is made at the session's rate.
    if (state != nullptr && state->isConverted && file->sampleRateHz != s.sampleRateHz)
        add(tr("played at"), tr("%1 kHz, converted").arg(s.sampleRateHz / 1000));
    if (file->timeReference)
        add(tr("starts at"),
            tr("%1 s by its time stamp").arg(framesToSeconds(e->startFrame, s.sampleRateHz), 0, 'f', 3));
    if (state != nullptr && state->analysis) {
        const auto& f = state->analysis->facts;
        add(tr("peak"), tr("%1 dBFS").arg(dbText(f.levels.peakDb)));
        add(tr("true peak"), tr("%1 dBTP").arg(dbText(f.loudness.truePeakDb)));
        add(tr("RMS"), tr("%1 dBFS").arg(dbText(f.levels.rmsDb)));
        add(tr("crest"), tr("%1 dB").arg(dbText(f.levels.crestDb())));
        add(tr("loudness"), f.loudness.integratedLufs > -100
                                ? tr("%1 LUFS").arg(dbText(f.loudness.integratedLufs))
                                : tr("none"));
        add(tr("noise floor"), tr("%1 dBFS").arg(dbText(f.levels.noiseFloorDb)));
        add(tr("onsets"), QString::number(f.arrivals));
    }
    return cells.join(QStringLiteral(" &nbsp;&nbsp; "));
}

void IntakeBench::refresh() {
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_desk.document.selected());
    m_facts->setText(factsText());
    refreshView();
    m_role->setEnabled(e != nullptr);
    m_role->setText(e == nullptr ? tr("role")
                                 : tr("role: %1%2")
                                       .arg(words(roleInfo(e->role).name),
                                            e->roleConfidence < 1 ? QStringLiteral(" ?") : QString()));
    for (const auto& [field, bar] : m_bars) {
        bar->setEnabled(e != nullptr);
        bar->setVisible(!isOfRightSide(field->info) || (e != nullptr && e->isStereo()));
        bar->setValue(e == nullptr ? field->info.standard : field->get(e->input));
    }
    for (const auto& [field, box] : m_switches) {
        box->setEnabled(e != nullptr);
        box->setVisible(!isOfRightSide(field->info) || (e != nullptr && e->isStereo()));
        box->setChecked(e != nullptr && field->get(e->input) > 0.5);
    }
    const Id other = partner();
    m_pair->setVisible(e != nullptr);
    m_pair->setEnabled(e != nullptr && (e->isStereo() || other != session::kNoId));
    m_pair->setText(e != nullptr && e->isStereo() ? tr("Part into left and right")
                    : other != session::kNoId
                        ? tr("Join with %1").arg(QString::fromStdString(s.nameOf(other)))
                        : tr("Join as a pair"));
}

void IntakeBench::refreshView() {
    const auto& s = m_desk.document.session();
    const Id id = m_desk.document.selected();
    const Id shownOther =
        m_view->chosen() > 0 ? m_others[static_cast<std::size_t>(m_view->chosen()) - 1] : session::kNoId;
    m_others = m_pairBench->model().othersOf(id);
    QStringList words{tr("the file")};
    for (const Id other : m_others)
        words << tr("over %1").arg(QString::fromStdString(s.nameOf(other)));
    m_view->setWords(words);
    m_view->setVisible(!m_others.empty());
    // The same other stays; another element is first shown by itself.
    const auto it = std::find(m_others.begin(), m_others.end(), shownOther);
    const bool stays = id == m_viewed && it != m_others.end();
    m_viewed = id;
    const int index = stays ? static_cast<int>(it - m_others.begin()) + 1 : 0;
    m_view->setChosen(index);
    chooseView(index);
}

void IntakeBench::chooseView(int index) {
    const bool isPair = index > 0 && index <= static_cast<int>(m_others.size());
    m_picture->setVisible(!isPair);
    m_pairBench->setVisible(isPair);
    if (isPair)
        m_pairBench->model().show(m_others[static_cast<std::size_t>(index) - 1], m_desk.document.selected());
    else
        m_pairBench->model().show(session::kNoId, session::kNoId);
}

bool IntakeBench::showPairWith(Id other) {
    const auto it = std::find(m_others.begin(), m_others.end(), other);
    if (it == m_others.end())
        return false;
    const int index = static_cast<int>(it - m_others.begin()) + 1;
    m_view->setChosen(index);
    chooseView(index);
    return true;
}

Id IntakeBench::partner() const {
    // The next mono element of the same role.
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_desk.document.selected());
    if (e == nullptr || e->isStereo())
        return session::kNoId;
    bool isAfter = false;
    for (const auto& other : s.elements) {
        if (isAfter && !other->isStereo() && other->role == e->role)
            return other->id;
        isAfter = isAfter || other->id == e->id;
    }
    return session::kNoId;
}

void IntakeBench::setRole(Role role) {
    auto next = m_desk.document.session();
    QStringList names;
    for (const Id id : m_desk.document.selection())
        if (const auto* e = next.element(id)) {
            names << QString::fromStdString(e->name);
            next = session::withRole(std::move(next), id, role);
        }
    if (names.isEmpty())
        return;
    m_desk.document.edit(std::move(next), tr("Role, %1").arg(names.join(QStringLiteral(", "))), {},
                         Document::Spreads::No);
    refresh();
}

void IntakeBench::editInput(const session::Field<session::InputSettings>& field, double value,
                            bool isDragging) {
    const Id id = m_desk.document.selected();
    const auto& s = m_desk.document.session();
    m_desk.document.edit(session::withElement(s, id, [&](session::Element& e) { field.set(e.input, value); }),
                         tr("%1, %2").arg(words(field.info.words), QString::fromStdString(s.nameOf(id))),
                         isDragging ? words(field.info.id) + QString::number(id) : QString());
}

void IntakeBench::joinOrPart() {
    const Id id = m_desk.document.selected();
    const auto& s = m_desk.document.session();
    const auto* e = s.element(id);
    if (e == nullptr)
        return;
    const bool parts = e->isStereo();
    auto result = parts ? session::withPairParted(s, id) : session::withPairJoined(s, id, partner());
    if (!result) {
        m_desk.document.addNote(QString::fromStdString(result.error().message));
        return;
    }
    m_desk.document.edit(
        std::move(*result),
        (parts ? tr("Part pair, %1") : tr("Join pair, %1")).arg(QString::fromStdString(e->name)));
}

} // namespace cask::app
