// What the Tone picture shows beside own hits: spill, the noise between, the rest of the kit, what is usual.
#include "app/bench/tone/tone_picture.h"
#include "app/theme/theme.h"
#include "core/graph/module_sections.h"
#include "core/measure/tone/hump.h"

#include <QAction>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using measure::kThirds;
using measure::Spectrum;

/// The picture draws levels per 1/24 of an octave; a third holds eight of them.
const double kThirdOverPointDb = powerToDb(measure::kPointsPerOctave / 3.0);

/// The kit without any processing at the element's own level: the distance between the two lines is the
/// element's share of each band.
std::vector<float> kitOver(const Spectrum& own, const advise::MixMeasure& mix, Id element) {
    const auto it = std::find(mix.elements.begin(), mix.elements.end(), element);
    if (it == mix.elements.end())
        return {};
    const auto& share = mix.picture.share[static_cast<std::size_t>(it - mix.elements.begin())];
    std::vector<float> line;
    for (std::size_t i = 0; i < own.bandDb.size(); ++i) {
        const double place = std::clamp(measure::erbPlace(Spectrum::pointHz(static_cast<int>(i))), 0.0,
                                        measure::kErbBands - 1.001);
        const auto band = static_cast<std::size_t>(place);
        const auto shareDb = [&](std::size_t b) { return powerToDb(std::max(share[b], 1e-6F)); };
        const double db =
            shareDb(band) + (place - static_cast<double>(band)) * (shareDb(band + 1) - shareDb(band));
        line.push_back(own.bandDb[i] - static_cast<float>(db));
    }
    return line;
}

} // namespace

void TonePicture::makeBeside() {
    m_besideMenu->addAction(tr("spill"));
    m_besideMenu->addAction(tr("noise between hits"));
    m_besideMenu->addAction(tr("the whole kit"));
    m_besideMenu->addAction(tr("what is usual"));
    for (auto* action : m_besideMenu->actions())
        action->setCheckable(true);
    m_besideMenu->addSeparator();
    auto* reference = m_besideMenu->addAction(tr("this drum is a reference for its role"));
    reference->setCheckable(true);
    reference->setToolTip(tr("Kept with the house style; three of a role make a range of their own"));
    m_besideMenu->setToolTipsVisible(true);
    connect(m_besideMenu, &QMenu::triggered, this, [this, reference](QAction* chosen) {
        const Id id = m_desk.document.selected();
        if (chosen == reference)
            reference->isChecked() ? m_desk.findings.keepReference(id) : m_desk.findings.forgetReference(id);
        else
            setBeside(static_cast<Beside>(m_besideMenu->actions().indexOf(chosen)));
    });
    connect(m_besideMenu, &QMenu::aboutToShow, this, &TonePicture::placeBeside);
    m_besideButton->setMenu(m_besideMenu);
    m_besideButton->setPopupMode(QToolButton::InstantPopup);
    m_besideButton->setAutoRaise(true);
    m_besideButton->setFocusPolicy(Qt::TabFocus);
    m_besideButton->setAccessibleName(tr("What is drawn beside own hits"));
    m_besideButton->setToolTip(
        tr("Drawn beside own hits: what leaks in, the noise between hits, the whole kit, or "
           "the range in which drums of this role lie (V)"));
}

/// The button stands at the right end of the key, as wide as its words.
void TonePicture::placeBeside() {
    const QString words = besideWords();
    m_besideButton->setVisible(!words.isEmpty());
    m_besideButton->setText(words);
    m_besideButton->setFont(textFont(11));
    const int w = m_besideButton->sizeHint().width();
    m_besideButton->setGeometry(static_cast<int>(plot().right()) - w, 2, w, 20);
    const auto actions = m_besideMenu->actions();
    for (int i = 0; i < 4; ++i)
        actions[i]->setChecked(i == static_cast<int>(m_beside));
    const Id id = m_desk.document.selected();
    const auto* element = m_desk.document.session().element(id);
    actions.last()->setEnabled(m_isOfHits && element != nullptr && element->role != Role::Unknown);
    actions.last()->setChecked(m_desk.findings.isReference(id));
}

void TonePicture::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    placeBeside();
}

void TonePicture::setBeside(Beside beside) {
    m_beside = beside;
    readSpectrum();
}

void TonePicture::readBeside() {
    m_besideDb.clear();
    m_usual.reset();
    const Id id = m_desk.document.selected();
    const auto* tone = m_desk.tones.tone(id);
    if (!m_isOfHits || tone == nullptr)
        return;
    const auto* element = m_desk.document.session().element(id);
    Spectrum seen;
    switch (m_beside) {
    case Beside::Spill:
        seen = tone->spectra.spill;
        break;
    case Beside::Noise:
        seen = tone->spectra.noise;
        break;
    case Beside::Kit:
        if (const auto* mix = m_desk.tones.untouchedMix())
            seen.bandDb = kitOver(tone->spectra.own, *mix, id);
        break;
    case Beside::Usual:
        if (element != nullptr && m_moment == Moment::Whole)
            m_usual = m_desk.findings.style().references.of(element->role);
        break;
    }
    m_besideDb = smoothed(seen, kSmoothPoints);
}

std::vector<measure::OutOfRange> TonePicture::outOfUsual() const {
    const auto* tone = m_desk.tones.tone(m_desk.document.selected());
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    if (!m_usual || tone == nullptr || chain == nullptr)
        return {};
    const double rate = m_desk.document.session().sampleRateHz;
    const auto sections = graph::sectionsOf(*chain, dsp::StereoPart::Middle, rate);
    const auto after = measure::filtered(tone->spectra.own, [&](double hz) {
        return hz < 0.49 * rate ? dsp::responseDb(sections, hz, rate) : 0.0;
    });
    const auto shape = measure::shapeOf(after);
    return shape ? measure::outOfRange(*shape, m_usual->range, m_desk.findings.style().rangeDb,
                                       tone->lowestOwnHz())
                 : std::vector<measure::OutOfRange>();
}

QString TonePicture::besideWords() const {
    if (!m_isOfHits)
        return {};
    const auto* element = m_desk.document.session().element(m_desk.document.selected());
    const bool isThere = !m_besideDb.empty();
    switch (m_beside) {
    case Beside::Spill:
        return isThere ? tr("spill") : tr("no spill");
    case Beside::Noise:
        return isThere ? tr("noise between hits") : tr("never quiet between hits");
    case Beside::Kit:
        return isThere ? tr("whole kit") : tr("kit not measured yet");
    case Beside::Usual:
        break;
    }
    if (m_moment != Moment::Whole)
        return tr("the usual range is one of whole hits");
    if (!m_usual || element == nullptr)
        return tr("no usual range for this role");
    const QString style = QString::fromStdString(m_desk.findings.style().name);
    return m_usual->drums > 0 ? tr("range of your %1 references").arg(m_usual->drums)
                              : tr("usual range, %1").arg(style);
}

QColor TonePicture::besideTint() const {
    return m_beside == Beside::Spill ? theme().ochre : theme().slate;
}

void TonePicture::paintBeside(QPainter& p) const {
    if (m_usual) {
        paintUsual(p);
        return;
    }
    const QRectF area = plot();
    QPainterPath path;
    for (std::size_t i = 0; i < m_besideDb.size(); ++i) {
        const double hz = Spectrum::pointHz(static_cast<int>(i));
        if (hz < kLowestShownHz || hz > kHighestShownHz)
            continue;
        const QPointF at(xOf(hz), std::clamp(yOf(m_besideDb[i]), area.top(), area.bottom()));
        path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
    }
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(besideTint(), 1.4, m_beside == Beside::Noise ? Qt::DashLine : Qt::SolidLine));
    p.drawPath(path);
    p.setRenderHint(QPainter::Antialiasing, false);
}

/// The range as a band between two hairlines, moved to the drum's own level; what leaves it is hatched.
void TonePicture::paintUsual(QPainter& p) const {
    const auto* tone = m_desk.tones.tone(m_desk.document.selected());
    const auto shape = tone == nullptr ? std::nullopt : measure::shapeOf(tone->spectra.own);
    if (!shape)
        return;
    const QRectF area = plot();
    const auto& range = m_usual->range;
    const double middle = tone->spectra.own.thirdOctaveDb(measure::thirdHz(0)) - (*shape)[0];
    const double offset = middle + measure::offsetDb(*shape, range) - kThirdOverPointDb;
    const auto place = [&](int third, float db) {
        return QPointF(xOf(measure::thirdHz(third)), std::clamp(yOf(db + offset), area.top(), area.bottom()));
    };
    QPainterPath upper;
    QPainterPath lower;
    for (int i = 0; i < kThirds; ++i) {
        const auto n = static_cast<std::size_t>(i);
        const QPointF top = place(i, range.toDb[n]);
        const QPointF bottom = place(i, range.fromDb[n]);
        i == 0 ? upper.moveTo(top) : upper.lineTo(top);
        i == 0 ? lower.moveTo(bottom) : lower.lineTo(bottom);
    }
    QPainterPath band = upper;
    band.connectPath(lower.toReversed());
    band.closeSubpath();
    QColor soft = theme().slate;
    soft.setAlpha(36);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillPath(band, soft);
    p.setPen(QPen(theme().slate, 1, Qt::DashLine));
    p.drawPath(upper);
    p.drawPath(lower);
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(textFont(11));
    for (const auto& out : outOfUsual()) {
        const double x0 = xOf(std::max(out.fromHz, kLowestShownHz));
        const double x1 = xOf(std::min(out.toHz, kHighestShownHz));
        const QString text =
            (out.excessDb > 0 ? tr("%1 dB over") : tr("%1 dB under")).arg(dbText(std::abs(out.excessDb)));
        const double w = p.fontMetrics().horizontalAdvance(text) + 8;
        const double y = area.bottom() - 8;
        p.setPen(QPen(theme().ember, 2));
        p.drawLine(QPointF(x0, y), QPointF(x1, y));
        const QRectF label(std::clamp((x0 + x1 - w) / 2, area.left(), area.right() - w), y - 20, w, 16);
        p.fillRect(label, theme().paper);
        p.setPen(theme().ember);
        p.drawText(label, Qt::AlignCenter, text);
    }
}

} // namespace cask::app
