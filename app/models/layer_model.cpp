#include "app/models/layer_model.h"

#include "app/models/priorities.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/project/played_files.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kLookQuietMs = 30; // while dragging

/// The strike at which most layers play, of these the loudest.
std::size_t strikeToLookAt(const layers::Stack& stack) {
    std::vector<int> playing(stack.strikes.size(), 0);
    for (const auto& layer : stack.layers)
        if (layer.isOn)
            for (const std::size_t i : layers::strikesOf(layer.rule, stack.strikes))
                ++playing[i];
    std::size_t best = 0;
    for (std::size_t i = 1; i < playing.size(); ++i)
        if (playing[i] > playing[best] ||
            (playing[i] == playing[best] && stack.strikes[i].velocity > stack.strikes[best].velocity))
            best = i;
    return best;
}

std::shared_ptr<const LayerModel::Look> lookAt(const layers::Stack& stack, double rateHz) {
    using Look = LayerModel::Look;
    auto look = std::make_shared<Look>();
    look->rateHz = rateHz;
    if (stack.strikes.empty())
        return look;
    look->strike = strikeToLookAt(stack);
    layers::Strike strike = stack.strikes[look->strike];
    strike.timeS = 0.001 * Look::kBeforeMs;
    std::vector<measure::Sound> judged;
    for (auto layer : stack.layers) {
        look->sounds.emplace_back();
        layer.rule = {};
        layer.levelSpreadDb = 0;
        const auto source = layer.isOn
                                ? layers::StackSource::make(
                                      {{strike}, 0.001 * (Look::kBeforeMs + Look::kAfterMs), {layer}}, rateHz)
                                : Error{ErrorCode::Empty, {}};
        if (source) {
            auto& sound = look->sounds.back();
            sound.assign(static_cast<std::size_t>((*source)->channels()),
                         std::vector<float>(static_cast<std::size_t>((*source)->frames())));
            for (std::size_t c = 0; c < sound.size(); ++c)
                (void)(*source)->read(static_cast<int>(c), 0, sound[c]);
        }
        // A silent layer keeps its place.
        judged.push_back(
            look->sounds.back().empty()
                ? measure::Sound(1, std::vector<float>(static_cast<std::size_t>(0.1 * rateHz), 0.0F))
                : look->sounds.back());
    }
    if (!judged.empty())
        look->judged = measure::judgeStack(judged, rateHz);
    return look;
}

} // namespace

LayerModel::LayerModel(Document& document, Analyst& analyst, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_jobs(analyst.pool()) {
    m_lookTimer.setSingleShot(true);
    connect(&m_lookTimer, &QTimer::timeout, this, &LayerModel::beginLook);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&document, signal, this, &LayerModel::follow);
}

void LayerModel::setActive(bool active) {
    m_isActive = active;
    follow();
}

void LayerModel::follow() {
    if (!m_isActive || m_mustWrite || m_isWriting)
        return;
    const auto& s = m_document.session();
    const auto* e = s.element(m_document.selected());
    const auto* source = e == nullptr ? nullptr : s.file(e->channels.front().file);
    const auto file =
        source == nullptr ? std::filesystem::path() : session::resolvePath(*source, m_document.folder());
    if (m_owner == m_document.selected() && file == m_file)
        return;
    m_owner = m_document.selected();
    m_file = file;
    m_source = source == nullptr ? session::kNoId : source->id;
    ++m_generation; // what is still looked at is another element's
    m_look.reset();
    m_stack.reset();
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
    emit changed();
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
            auto look = lookAt(stack, rateHz);
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
    const std::string name = m_document.session().nameOf(m_owner);
    m_jobs.post(
        [this, stack = *m_stack, rateHz = m_document.session().sampleRateHz, folder = m_document.folder(),
         name, source = m_source, label = m_label] {
            const auto written = project::writeStack(stack, rateHz, folder, name);
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
                    for (const auto& note : written->notes)
                        m_document.addNote(QString::fromStdString(note));
                    // What is shown is what was written: nothing to read.
                    m_file = m_document.folder() / written->file.path;
                    m_isWriting = true;
                    m_document.edit(project::withStackFile(m_document.session(), source, written->file),
                                    label, {}, Document::Spreads::No);
                    m_isWriting = false;
                    if (m_mustWrite)
                        write();
                    else
                        follow();
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LayerModel::strikeWith(std::vector<layers::Strike> strikes,
                            const std::vector<std::filesystem::path>& sounds) {
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
    const std::string name = e->name + " " + stack.layers.front().name;
    const session::MadeElement made{name, e->role, e->out.bus, 0};
    m_isWriting = true;
    emit changed();
    m_jobs.post(
        [this, stack = std::move(stack), rateHz = s.sampleRateHz, folder = m_document.folder(), made] {
            const auto written = project::writeStack(stack, rateHz, folder, made.name);
            QMetaObject::invokeMethod(
                this,
                [this, written, folder, made] {
                    m_isWriting = false;
                    if (!written)
                        m_document.addNote(QString::fromStdString(written.error().message) +
                                           tr(" Nothing was added."));
                    else if (folder == m_document.folder()) {
                        auto with = session::withMadeElement(m_document.session(), written->file, made);
                        m_document.edit(std::move(with.session),
                                        tr("Strike %1").arg(QString::fromStdString(made.name)), {},
                                        Document::Spreads::No);
                        m_document.select(with.element);
                    }
                    follow();
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

} // namespace cask::app
