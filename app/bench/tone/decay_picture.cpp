#include "app/bench/tone/decay_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kDeepestDb = 60; // under the strongest cell

} // namespace

DecayPicture::DecayPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setMouseTracking(true);
    setMinimumHeight(200);
    setAccessibleName(tr("How the average hit dies away, by frequency"));
    connect(&desk.tones, &ToneModel::detailChanged, this, &DecayPicture::refresh);
    connect(&desk.tones, &ToneModel::changed, this, QOverload<>::of(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, &DecayPicture::refresh);
}

QRectF DecayPicture::plot() const {
    return QRectF(rect()).adjusted(56, 28, -12, -26);
}
float DecayPicture::powerDb(double frame, double hz) const {
    const auto* map = m_desk.tones.decay();
    const auto f =
        static_cast<std::size_t>(std::clamp(frame, 0.0, static_cast<double>(map->powerDb.size() - 1)));
    const double bin = std::clamp(hz / map->binHz, 0.0, static_cast<double>(map->bins() - 2));
    const auto b = static_cast<std::size_t>(bin);
    const auto& row = map->powerDb[f];
    return row[b] + static_cast<float>(bin - static_cast<double>(b)) * (row[b + 1] - row[b]);
}

void DecayPicture::refresh() {
    paintCells();
    update();
}

/// A cell for every two columns and each 10 ms: from paper (nothing left) to deep teal (the strongest).
void DecayPicture::paintCells() {
    m_cells = {};
    const auto* map = m_desk.tones.decay();
    const QRectF area = plot();
    if (map == nullptr || area.width() < 10)
        return;
    const int columns = static_cast<int>(area.width()) / 2;
    const int rows = static_cast<int>(map->powerDb.size());
    float top = -300;
    for (int c = 0; c < columns; ++c)
        for (int r = 0; r < rows; ++r)
            top = std::max(top, powerDb(r, hzAt(area.left() + 2 * c)));
    m_cells = QImage(columns, rows, QImage::Format_RGB32);
    const QColor ground = theme().paper;
    const QColor full = theme().teal;
    for (int c = 0; c < columns; ++c)
        for (int r = 0; r < rows; ++r) {
            const double left =
                std::clamp(1 + (powerDb(r, hzAt(area.left() + 2 * c)) - top) / kDeepestDb, 0.0, 1.0);
            const double share = left * left;
            const auto mix = [&](int a, int b) { return static_cast<int>(a + share * (b - a)); };
            m_cells.setPixel(c, r,
                             qRgb(mix(ground.red(), full.red()), mix(ground.green(), full.green()),
                                  mix(ground.blue(), full.blue())));
        }
}

void DecayPicture::paintAxes(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    const auto* map = m_desk.tones.decay();
    const double lengthMs = 1000 * map->stepS * static_cast<double>(map->powerDb.size());
    HzAxis{area}.paint(p);
    for (double ms = 0; ms <= lengthMs; ms += 100) {
        const double y = area.top() + ms / lengthMs * area.height();
        p.setPen(QPen(t.line, 1, Qt::DotLine));
        p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        p.setPen(t.faint);
        p.drawText(QRectF(0, y - 8, area.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                   tr("%1 ms").arg(ms));
    }
}

QString DecayPicture::wordsAt(const QPointF& at) const {
    const auto* map = m_desk.tones.decay();
    if (map == nullptr || !plot().contains(at))
        return {};
    const double hz = hzAt(at.x());
    const double ms = map->decayMs(static_cast<std::size_t>(std::lround(hz / map->binHz)));
    const auto note = measure::nearestNote(hz);
    const QString where = tr("%1 (%2)").arg(hzText(hz), QString::fromStdString(note.name));
    return ms <= 0 ? tr("%1: it can't be told how it falls").arg(where)
                   : tr("%1: falls by 60 dB in %2 s").arg(where).arg(0.001 * ms, 0, 'f', 2);
}

void DecayPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const auto* map = m_desk.tones.decay();
    paintGround(p, rect(), tr("The average own hit, dying away downwards: what rings stays dark"));
    if (map == nullptr) {
        paintHint(p, rect(),
                  m_desk.tones.isBusy() ? tr("Own hits are being measured.")
                                        : tr("There are no own hits of this element to look at."));
        return;
    }
    const QRectF area = plot();
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(area, m_cells);
    p.setRenderHint(QPainter::SmoothPixmapTransform, false);
    paintAxes(p);
    if (const auto* tone = m_desk.tones.tone(m_desk.document.selected())) {
        double labelY = area.bottom() - 18;
        const auto mark = [&](double hz, const QString& text, const QColor& tint) {
            p.setPen(QPen(tint, 1.4, Qt::DashLine));
            p.drawLine(QPointF(xOf(hz), area.top()), QPointF(xOf(hz), area.bottom()));
            p.setFont(textFont(11));
            const double w = p.fontMetrics().horizontalAdvance(text) + 8;
            const QRectF label(xOf(hz) + 2, labelY, w, 16);
            labelY -= 18; // marks may lie side by side
            p.fillRect(label, theme().paper);
            p.setPen(tint);
            p.drawText(label, Qt::AlignCenter, text);
        };
        if (tone->partials.fundamental.hz > 0)
            mark(tone->partials.fundamental.hz, tr("note"), theme().ink);
        for (const auto& ring : tone->partials.rings)
            mark(ring.hz, tr("rings %1").arg(hzText(ring.hz)), theme().ember);
    }
    const QString words = wordsAt(m_pointer);
    if (words.isEmpty())
        return;
    p.setPen(QPen(theme().slate, 1, Qt::DotLine));
    p.drawLine(QPointF(m_pointer.x(), area.top()), QPointF(m_pointer.x(), area.bottom()));
    p.setFont(textFont(12));
    p.setPen(theme().ink);
    p.drawText(QRectF(rect()).adjusted(0, 6, -12, 0), Qt::AlignRight | Qt::AlignTop, words);
}

void DecayPicture::mouseMoveEvent(QMouseEvent* event) {
    m_pointer = event->position();
    update();
}

void DecayPicture::leaveEvent(QEvent*) {
    m_pointer = {-1, -1};
    update();
}

void DecayPicture::resizeEvent(QResizeEvent*) {
    paintCells();
}

} // namespace cask::app
