#include "app/models/layer_model.h"

#include "app/models/priorities.h"
#include "core/layers/stack_file.h"
#include "core/layers/velocity_order.h"
#include "core/project/layer_element.h"
#include "core/session/hearing.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kLookQuietMs = 30; // while dragging

} // namespace

LayerModel::LayerModel(Document& document, Analyst& analyst, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_jobs(analyst.pool()) {
    m_lookTimer.setSingleShot(true);
    connect(&m_lookTimer, &QTimer::timeout, this, &LayerModel::beginLook);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&document, signal, this, &LayerModel::follow);
}

LayerModel::~LayerModel() {
    m_cancelPlace.cancel();
}

void LayerModel::setActive(bool active) {
    m_isActive = active;
    follow();
}

const session::SourceFile* LayerModel::sourceOf(Id element) const {
    const auto& s = m_document.session();
    const auto* e = s.element(element);
    return e == nullptr ? nullptr : s.file(e->channels.front().file);
}

std::filesystem::path LayerModel::fileOf(Id element) const {
    const auto* source = sourceOf(element);
    return source == nullptr ? std::filesystem::path() : session::resolvePath(*source, m_document.folder());
}

void LayerModel::follow() {
    if (!m_isActive || m_mustWrite || m_isWriting)
        return;
    const auto* source = sourceOf(m_document.selected());
    const auto file = fileOf(m_document.selected());
    if (m_owner == m_document.selected() && file == m_file)
        return;
    m_owner = m_document.selected();
    m_file = file;
    m_source = source == nullptr ? session::kNoId : source->id;
    ++m_generation; // what is still looked at is another element's
    m_look.reset();
    m_stack.reset();
    forgetPlace();
    if (layers::isStackFile(file)) {
        if (auto read = layers::readStack(file))
            m_stack = std::make_unique<layers::Stack>(std::move(*read));
        else
            m_document.addNote(QString::fromStdString(read.error().message));
    }
    m_chosen =
        std::clamp(m_chosen, 0, m_stack ? std::max(0, static_cast<int>(m_stack->layers.size()) - 1) : 0);
    if (m_stack)
        m_lookTimer.start(0);
    emit changed();
}

void LayerModel::choose(int layer) {
    if (m_stack == nullptr || layer == m_chosen || layer < 0 ||
        layer >= static_cast<int>(m_stack->layers.size()))
        return;
    m_chosen = layer;
    forgetPlace();
    emit changed();
}

void LayerModel::forgetPlace() {
    ++m_placeGeneration;
    m_cancelPlace.cancel();
    m_isPlacing = false;
    m_place.reset();
}

void LayerModel::findPlace() {
    if (m_stack == nullptr || m_stack->layers.empty())
        return;
    forgetPlace();
    m_cancelPlace = CancelToken();
    m_isPlacing = true;
    emit changed();
    m_jobs.post(
        [this, generation = m_placeGeneration, stack = *m_stack, layer = static_cast<std::size_t>(m_chosen),
         rateHz = m_document.session().sampleRateHz, cancel = m_cancelPlace] {
            const auto place = layers::bestPlaceOf(stack, layer, rateHz, cancel);
            QMetaObject::invokeMethod(
                this,
                [this, generation, place] {
                    if (generation != m_placeGeneration)
                        return;
                    m_isPlacing = false;
                    if (!place)
                        m_document.addNote(QString::fromStdString(place.error().message));
                    else if (!*place)
                        m_document.addNote(tr("%1 or all other layers are silent: there is no place to look "
                                              "for.")
                                               .arg(nameOf(m_chosen)));
                    else
                        m_place = **place;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LayerModel::keepPlace() {
    if (!m_place || m_stack == nullptr)
        return;
    edit([place = *m_place, at = static_cast<std::size_t>(m_chosen)](
             layers::Stack& stack) { stack.layers[at] = layers::placed(stack.layers[at], place); },
         tr("Best place of %1").arg(nameOf(m_chosen)));
}

std::optional<LayerModel::Tuning> LayerModel::tuning() const {
    const auto at = static_cast<std::size_t>(m_chosen);
    if (m_look == nullptr || at >= m_look->notesHz.size() || m_look->notesHz[at] <= 0)
        return std::nullopt;
    Tuning tuning{m_look->notesHz[at], -1, 0};
    const int owner = m_look->judged.lowEndOwner;
    if (owner >= 0 && owner != m_chosen && m_look->notesHz[static_cast<std::size_t>(owner)] > 0)
        tuning.against = owner;
    for (std::size_t i = 0; i < m_look->notesHz.size() && tuning.against < 0; ++i)
        if (i != at && m_look->notesHz[i] > 0)
            tuning.against = static_cast<int>(i);
    if (tuning.against >= 0)
        tuning.cents =
            layers::centsFromOctave(tuning.noteHz, m_look->notesHz[static_cast<std::size_t>(tuning.against)]);
    return tuning;
}

void LayerModel::tune() {
    const auto tuned = tuning();
    if (tuned && tuned->against >= 0)
        edit(
            [cents = tuned->cents, at = static_cast<std::size_t>(m_chosen)](layers::Stack& stack) {
                auto& pitch = stack.layers[at].pitchCents;
                pitch = std::round(10 * (pitch - cents)) / 10;
            },
            tr("Tune %1").arg(nameOf(m_chosen)));
}

QString LayerModel::nameOf(int layer) const {
    const auto& name = m_stack->layers[static_cast<std::size_t>(layer)].name;
    return name.empty() ? QString::number(layer + 1) : QString::fromStdString(name);
}

std::vector<std::size_t> LayerModel::playedBy(int layer) const {
    if (m_stack == nullptr || layer < 0 || layer >= static_cast<int>(m_stack->layers.size()) ||
        !m_stack->layers[static_cast<std::size_t>(layer)].isOn)
        return {};
    return layers::strikesOf(m_stack->layers[static_cast<std::size_t>(layer)].rule, m_stack->strikes);
}

void LayerModel::beginLook() {
    if (m_stack == nullptr)
        return;
    if (m_isLooking) { // once more when that is done
        m_lookTimer.start(kLookQuietMs);
        return;
    }
    m_isLooking = true;
    const int generation = ++m_generation;
    m_jobs.post(
        [this, generation, stack = *m_stack, rateHz = m_document.session().sampleRateHz] {
            auto look = std::make_shared<const Look>(layers::lookAtStack(stack, rateHz));
            QMetaObject::invokeMethod(
                this,
                [this, generation, look = std::move(look)] {
                    m_isLooking = false;
                    if (generation == m_generation && m_stack != nullptr)
                        m_look = look;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LayerModel::edit(const std::function<void(layers::Stack&)>& change, const QString& label) {
    if (m_stack == nullptr || m_document.isReadOnly())
        return;
    if (m_document.isUntitled()) {
        m_document.addNote(tr("Save the session first: layers are kept in its folder."));
        return;
    }
    change(*m_stack);
    forgetPlace(); // it was one of the stack as it was
    m_chosen = std::clamp(m_chosen, 0, std::max(0, static_cast<int>(m_stack->layers.size()) - 1));
    m_label = label;
    m_mustWrite = true;
    m_lookTimer.start(kLookQuietMs);
    emit changed();
    write();
}

void LayerModel::write() {
    if (m_isWriting || !m_mustWrite || m_stack == nullptr)
        return;
    m_isWriting = true;
    m_mustWrite = false;
    m_jobs.post(
        [this, stack = *m_stack, snapshot = m_document.snapshot(), folder = m_document.folder(),
         source = m_source, label = m_label] {
            const auto written = project::writeEdited(*snapshot, folder, source, stack);
            QMetaObject::invokeMethod(
                this,
                [this, written, folder, source, label] {
                    m_isWriting = false;
                    if (folder != m_document.folder() || m_document.session().file(source) == nullptr) {
                        m_mustWrite = false;
                        follow();
                        return;
                    }
                    if (!written) {
                        m_document.addNote(QString::fromStdString(written.error().message) +
                                           tr(" The layers stay as they were."));
                        m_mustWrite = false;
                        m_file.clear(); // read again
                        follow();
                        return;
                    }
                    const auto& own = written->front().written;
                    for (const auto& note : own.notes)
                        m_document.addNote(QString::fromStdString(note));
                    // What is shown is what was written: nothing to read.
                    m_file = m_document.folder() / own.file.path;
                    m_isWriting = true;
                    m_document.edit(project::withChangedStacks(m_document.session(), *written), label, {},
                                    Document::Spreads::No);
                    m_isWriting = false;
                    goOn();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LayerModel::goOn() {
    if (m_mustWrite)
        write();
    else
        follow();
    emit changed();
}

void LayerModel::take(session::WithMade with, const QString& label) {
    m_document.edit(std::move(with.session), label, {}, Document::Spreads::No);
    m_document.select(with.element);
}

bool LayerModel::isByVelocity() const {
    if (m_stack == nullptr || m_stack->layers.empty())
        return false;
    const auto& sounds = m_stack->layers[static_cast<std::size_t>(m_chosen)].sounds;
    return std::any_of(sounds.begin(), sounds.end(),
                       [](const auto& s) { return s.lowVelocity > 0 || s.highVelocity < 127; });
}

void LayerModel::setByVelocity(bool on) {
    if (m_stack == nullptr || m_stack->layers.empty())
        return;
    const auto at = static_cast<std::size_t>(m_chosen);
    const auto take = [this, at](const std::vector<layers::LayerSound>& sounds) {
        edit([&](layers::Stack& stack) { stack.layers[at].sounds = sounds; },
             tr("Sounds of %1").arg(nameOf(m_chosen)));
    };
    const auto before = m_stack->layers[at].sounds;
    if (!on) {
        std::vector<layers::LayerSound> plain;
        for (const auto& sound : before)
            plain.push_back({sound.file});
        take(plain);
        return;
    }
    std::vector<std::filesystem::path> files;
    for (const auto& sound : before)
        files.push_back(sound.file);
    m_jobs.post(
        [this, files, before, at, take] {
            const auto ordered = layers::byVelocity(files);
            QMetaObject::invokeMethod(
                this,
                [this, ordered, before, at, take] {
                    if (!ordered)
                        m_document.addNote(QString::fromStdString(ordered.error().message) +
                                           tr(" The layers stay as they were."));
                    else if (m_stack != nullptr && m_chosen == static_cast<int>(at) &&
                             m_stack->layers[at].sounds == before) {
                        take(*ordered);
                        if (!isByVelocity())
                            m_document.addNote(tr("These sounds are all as loud: they stay alternates."));
                    }
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LayerModel::giveOwnChain() {
    if (m_stack == nullptr || isBusy() || m_document.isReadOnly())
        return;
    m_isWriting = true;
    emit changed();
    m_jobs.post(
        [this, stack = *m_stack, snapshot = m_document.snapshot(), folder = m_document.folder(),
         owner = m_owner, file = m_file, at = static_cast<std::size_t>(m_chosen)] {
            const auto made = project::writeLayerElement(*snapshot, folder, owner, stack, at);
            QMetaObject::invokeMethod(
                this,
                [this, made, folder, owner, file] {
                    m_isWriting = false;
                    if (!made)
                        m_document.addNote(QString::fromStdString(made.error().message));
                    else if (m_mustWrite) // the stack is another one by now
                        m_document.addNote(tr("The layers were changed meanwhile; none was taken out."));
                    else if (folder == m_document.folder() && fileOf(owner) == file)
                        take(project::withLayerElement(m_document.session(), *made),
                             tr("Own chain for %1").arg(QString::fromStdString(made->name)));
                    goOn();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LayerModel::strikeWith(std::vector<layers::Strike> strikes,
                            const std::vector<std::filesystem::path>& sounds, const StrikeWay& way) {
    const auto& s = m_document.session();
    const auto* e = s.element(m_document.selected());
    if (e == nullptr || strikes.empty() || sounds.empty() || m_document.isReadOnly())
        return;
    if (m_document.isUntitled()) {
        m_document.addNote(tr("Save the session first: layers are kept in its folder."));
        return;
    }
    layers::Stack stack;
    stack.lengthS = std::max(framesToSeconds(s.lengthFrames(), s.sampleRateHz), strikes.back().timeS + 1);
    stack.strikes = std::move(strikes);
    stack.layers = {layers::layerOf(sounds)};
    if (way.fromDb)
        stack.layers.front().rule.lowVelocity = layers::velocityOf(*way.fromDb);
    const std::string name = e->name + " " + stack.layers.front().name;
    const session::MadeElement made{name, e->role, e->out.bus, 0};
    const Id muted = way.isInstead ? e->id : session::kNoId;
    m_isWriting = true;
    emit changed();
    m_jobs.post(
        [this, stack = std::move(stack), rateHz = s.sampleRateHz, folder = m_document.folder(), made, muted] {
            const auto written = project::writeStack(stack, rateHz, folder, made.name);
            QMetaObject::invokeMethod(
                this,
                [this, written, folder, made, muted] {
                    m_isWriting = false;
                    if (!written)
                        m_document.addNote(QString::fromStdString(written.error().message) +
                                           tr(" Nothing was added."));
                    else if (folder == m_document.folder()) {
                        auto with = session::withMadeElement(m_document.session(), written->file, made);
                        if (muted != session::kNoId)
                            with.session = session::withMute(std::move(with.session), {muted}, true);
                        take(std::move(with), tr("Strike %1").arg(QString::fromStdString(made.name)));
                    }
                    goOn();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

} // namespace cask::app
