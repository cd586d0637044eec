#include "app/shelf/shelf_map_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QCoreApplication>
#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kHeadPx = 26;
constexpr double kAxisPx = 20;
constexpr double kReachPx = 9;
constexpr std::size_t kMostLetters = 250; // more would cover each other
constexpr double kLeastBoxPx = 4;

struct AxisWords {
    std::string_view number;
    const char* more;
    const char* less;
};
constexpr AxisWords kAxisWords[] = {
    {"brightness_hz", QT_TRANSLATE_NOOP("ShelfMap", "brighter"), QT_TRANSLATE_NOOP("ShelfMap", "darker")},
    {"length_ms", QT_TRANSLATE_NOOP("ShelfMap", "longer"), QT_TRANSLATE_NOOP("ShelfMap", "shorter")},
    {"noisiness", QT_TRANSLATE_NOOP("ShelfMap", "noisier"), QT_TRANSLATE_NOOP("ShelfMap", "more of a note")},
    {"low_share", QT_TRANSLATE_NOOP("ShelfMap", "more lows"), QT_TRANSLATE_NOOP("ShelfMap", "fewer lows")},
    {"fundamental_hz", QT_TRANSLATE_NOOP("ShelfMap", "higher note"),
     QT_TRANSLATE_NOOP("ShelfMap", "lower note")},
    {"attack_ms", QT_TRANSLATE_NOOP("ShelfMap", "slower attack"),
     QT_TRANSLATE_NOOP("ShelfMap", "faster attack")},
    {"decay_ms", QT_TRANSLATE_NOOP("ShelfMap", "slower decay"),
     QT_TRANSLATE_NOOP("ShelfMap", "faster decay")},
    {"width_percent", QT_TRANSLATE_NOOP("ShelfMap", "wider"), QT_TRANSLATE_NOOP("ShelfMap", "narrower")},
};

} // namespace

ShelfMapPicture::ShelfMapPicture(ShelfModel& model, QWidget* parent) : QWidget(parent), m_model(model) {
    setAccessibleName(tr("Map of the shelf"));
    setMinimumHeight(140);
    setMouseTracking(true);
    connect(&model, &ShelfModel::mapChanged, this, [this] {
        setAccessibleDescription(tr("To the right %1, upwards %2").arg(axisText(0), axisText(1)));
        update();
    });
}

QRectF ShelfMapPicture::plot() const {
    return QRectF(rect()).adjusted(kAxisPx + 6, kHeadPx, -10, -kAxisPx);
}

QPointF ShelfMapPicture::pointOf(const std::array<float, 2>& place) const {
    const QRectF r = plot();
    return {r.center().x() + 0.49 * static_cast<double>(place[0]) * r.width(),
            r.center().y() - 0.48 * static_cast<double>(place[1]) * r.height()};
}

QPointF ShelfMapPicture::placeAt(QPointF at) const {
    const QRectF r = plot();
    return {(at.x() - r.center().x()) / (0.49 * r.width()), (r.center().y() - at.y()) / (0.48 * r.height())};
}

QString ShelfMapPicture::axisText(int axis) const {
    constexpr std::size_t kMostWords = 3;
    QStringList words;
    const auto& along = m_model.map().axes[static_cast<std::size_t>(axis)].along;
    for (const auto& one : along)
        for (const auto& w : kAxisWords)
            if (w.number == one.number && static_cast<std::size_t>(words.size()) < kMostWords)
                words << QCoreApplication::translate("ShelfMap", one.correlation > 0 ? w.more : w.less);
    return words.isEmpty() ? tr("no number goes along with it") : words.join(QStringLiteral(", "));
}

void ShelfMapPicture::setListed(const std::vector<const layers::ShelfSound*>& listed) {
    m_listed.clear();
    for (const auto* sound : listed)
        if (const auto place = m_model.placeOf(sound->id))
            m_listed.push_back({sound->id, QString::fromStdString(sound->file.stem().string()),
                                QChar::fromLatin1(roleInfo(sound->role).key).toUpper(), *place});
    update();
}

void ShelfMapPicture::setChosen(std::int64_t sound) {
    m_chosen = sound;
    update();
}

void ShelfMapPicture::clearBox() {
    if (m_box.isNull())
        return;
    m_box = {};
    update();
    emit boxEdited();
}

void ShelfMapPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    paintGround(p, rect(), tr("Like sounds lie near each other"));
    const QRectF r = plot();
    if (m_model.map().places.empty()) {
        paintHint(p, r,
                  m_model.isMapping() || m_model.isIndexing()
                      ? tr("Looking through the shelf \u2026")
                      : tr("The shelf is empty. Add a folder of one-shots: they are measured once, and only "
                           "read."));
        return;
    }
    p.setPen(t.line);
    p.drawLine(r.bottomLeft(), r.bottomRight());
    p.drawLine(r.bottomLeft(), r.topLeft());
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), kAxisPx - 4), Qt::AlignRight | Qt::AlignVCenter,
               axisText(0) + QStringLiteral(" \u2192"));
    const auto fitted = [&](QString words) { // the strongest first: the last ones give way
        while (QFontMetricsF(p.font()).horizontalAdvance(words) > r.height() - 20 &&
               words.contains(QStringLiteral(", ")))
            words.truncate(words.lastIndexOf(QStringLiteral(", ")));
        return words;
    };
    p.save();
    p.translate(kAxisPx / 2 + 3, r.bottom());
    p.rotate(-90);
    p.drawText(QRectF(0, -kAxisPx / 2, r.height(), kAxisPx), Qt::AlignRight | Qt::AlignVCenter,
               fitted(axisText(1)) + QStringLiteral(" \u2192"));
    p.restore();
    p.drawText(QRectF(width() / 2.0, 4, width() / 2.0 - 10, 18), Qt::AlignRight | Qt::AlignVCenter,
               tr("shows %1 % of how they differ").arg(std::lround(100 * m_model.map().keptShare)));

    // All of the shelf, faint; so many that each is a speck.
    p.setPen(QPen(t.line, 2));
    const auto& places = m_model.map().places;
    const std::size_t step = 1 + places.size() / 20000;
    for (std::size_t i = 0; i < places.size(); i += step)
        p.drawPoint(pointOf(places[i]));
    const bool hasLetters = m_listed.size() <= kMostLetters;
    p.setFont(textFont(11, QFont::DemiBold));
    p.setPen(hasLetters ? QPen(t.teal) : QPen(t.teal, 3));
    for (const auto& mark : m_listed) {
        const QPointF at = pointOf(mark.place);
        if (hasLetters)
            p.drawText(QRectF(at.x() - 7, at.y() - 8, 14, 16), Qt::AlignCenter, QString(mark.letter));
        else
            p.drawPoint(at);
    }
    for (const auto& mark : m_listed) {
        if (mark.id != m_chosen && mark.id != m_under)
            continue;
        const QPointF at = pointOf(mark.place);
        p.setPen(QPen(mark.id == m_chosen ? t.ember : t.ink, 1.5));
        p.drawRect(QRectF(at.x() - 8, at.y() - 8, 16, 16));
        p.setFont(textFont(12));
        const double textPx = QFontMetricsF(p.font()).horizontalAdvance(mark.name) + 8;
        const double left = at.x() + 12 + textPx > r.right() ? at.x() - 12 - textPx : at.x() + 12;
        p.fillRect(QRectF(left, at.y() - 9, textPx, 18), t.paper);
        p.setPen(t.ink);
        p.drawText(QRectF(left, at.y() - 9, textPx, 18), Qt::AlignCenter, mark.name);
    }
    if (!m_box.isNull()) {
        p.setPen(QPen(t.ink, 1, Qt::DashLine));
        p.drawRect(QRectF(pointOf({static_cast<float>(m_box.left()), static_cast<float>(m_box.top())}),
                          pointOf({static_cast<float>(m_box.right()), static_cast<float>(m_box.bottom())}))
                       .normalized());
    }
}

const ShelfMapPicture::Mark* ShelfMapPicture::markNear(QPointF at) const {
    const Mark* best = nullptr;
    double nearest = kReachPx;
    for (const auto& mark : m_listed) {
        const QPointF d = pointOf(mark.place) - at;
        if (const double far = std::hypot(d.x(), d.y()); far < nearest) {
            nearest = far;
            best = &mark;
        }
    }
    return best;
}

void ShelfMapPicture::mousePressEvent(QMouseEvent* event) {
    m_press = event->position();
    m_isPressed = event->button() == Qt::LeftButton;
    m_isBoxing = false;
}

void ShelfMapPicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_isPressed) {
        const QPointF d = event->position() - m_press;
        m_isBoxing = m_isBoxing || std::hypot(d.x(), d.y()) >= kLeastBoxPx;
        if (m_isBoxing)
            m_box = QRectF(placeAt(m_press), placeAt(event->position())).normalized();
        update();
        return;
    }
    const auto* mark = markNear(event->position());
    const std::int64_t under = mark == nullptr ? 0 : mark->id;
    if (std::exchange(m_under, under) != under)
        update();
}

void ShelfMapPicture::mouseReleaseEvent(QMouseEvent* event) {
    if (!std::exchange(m_isPressed, false))
        return;
    if (std::exchange(m_isBoxing, false)) {
        emit boxEdited();
        return;
    }
    if (const auto* mark = markNear(event->position()))
        emit soundChosen(mark->id);
    else
        clearBox();
}

void ShelfMapPicture::leaveEvent(QEvent*) {
    m_under = 0;
    update();
}

bool ShelfMapPicture::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        QToolTip::showText(
            help->globalPos(),
            tr("Letters are roles, as on the Intake bench. Drag a box to hold the list to a part "
               "of the map; click beside the sounds to see all again."),
            this);
        return true;
    }
    return QWidget::event(event);
}

} // namespace cask::app
