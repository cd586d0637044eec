#include "app/bench/hits/hit_pictures.h"
#include "app/theme/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

namespace cask::app {
namespace {

constexpr double kNamePx = 104;
constexpr double kTableHeadPx = 46;
constexpr double kMostRowPx = 22;

/// Drums that have a microphone, in the order of the kit.
std::vector<int> shownDrums(const kit::HitAnalysis& a) {
    std::vector<int> drums;
    for (std::size_t d = 0; d < a.hits.kit.drums.size(); ++d)
        if (a.hits.kit.drums[d].isMiked())
            drums.push_back(static_cast<int>(d));
    return drums;
}

/// Inputs that belong to the kit.
std::vector<int> shownInputs(const kit::HitAnalysis& a) {
    std::vector<int> inputs;
    for (std::size_t i = 0; i < a.elements.size(); ++i)
        if (a.hits.kit.drumOf[i] >= 0)
            inputs.push_back(static_cast<int>(i));
    inputs.insert(inputs.end(), a.hits.kit.ambient.begin(), a.hits.kit.ambient.end());
    return inputs;
}

} // namespace

SpillPicture::SpillPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Spill table"));
    setMinimumHeight(150);
    connect(&desk.hits, &HitModel::hitsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
}

int SpillPicture::rows() const {
    const auto* a = m_desk.hits.analysis();
    return a == nullptr ? 0 : static_cast<int>(shownDrums(*a).size());
}

int SpillPicture::columns() const {
    const auto* a = m_desk.hits.analysis();
    return a == nullptr ? 0 : static_cast<int>(shownInputs(*a).size());
}

QRectF SpillPicture::cell(int row, int column) const {
    const double w = (width() - kNamePx - 24) / std::max(1, columns());
    const double h = std::min(kMostRowPx, (height() - kTableHeadPx - 8.0) / std::max(1, rows()));
    return {12 + kNamePx + column * w, kTableHeadPx + row * h, w, h};
}

void SpillPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.fillRect(rect(), t.paper);
    p.setFont(textFont(12, QFont::DemiBold));
    p.setPen(t.ink);
    p.drawText(rect().adjusted(10, 6, -10, 0), Qt::AlignLeft | Qt::AlignTop, tr("Spill"));
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(rect().adjusted(60, 7, -10, 0), Qt::AlignLeft | Qt::AlignTop,
               tr("each drum (row) in each microphone (column), dB against its own microphone"));
    const auto* a = m_desk.hits.analysis();
    if (a == nullptr || rows() == 0) {
        p.setFont(textFont(13));
        p.drawText(rect(), Qt::AlignCenter,
                   a == nullptr ? tr("Still searching for hits.")
                                : tr("No drum has a microphone of its own."));
        return;
    }
    const auto drums = shownDrums(*a);
    const auto inputs = shownInputs(*a);
    for (int c = 0; c < columns(); ++c) {
        const Id element = a->elements[static_cast<std::size_t>(inputs[static_cast<std::size_t>(c)])];
        const bool isChosen = element == m_desk.document.selected();
        p.setFont(textFont(11, isChosen ? QFont::DemiBold : QFont::Normal));
        p.setPen(isChosen ? t.ink : t.faint);
        const QRectF head = cell(0, c).translated(0, -18).adjusted(2, 0, -2, 0);
        p.drawText(
            QRectF(head.left(), head.top(), head.width(), 16), Qt::AlignCenter,
            p.fontMetrics().elidedText(QString::fromStdString(m_desk.document.session().nameOf(element)),
                                       Qt::ElideRight, static_cast<int>(head.width())));
    }
    for (int r = 0; r < rows(); ++r) {
        const int drum = drums[static_cast<std::size_t>(r)];
        p.setFont(textFont(12));
        p.setPen(t.ink);
        p.drawText(QRectF(12, cell(r, 0).top(), kNamePx - 6, cell(r, 0).height()),
                   Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(
                       QString::fromStdString(a->hits.kit.drums[static_cast<std::size_t>(drum)].name),
                       Qt::ElideMiddle, static_cast<int>(kNamePx - 6)));
        for (int c = 0; c < columns(); ++c) {
            const int input = inputs[static_cast<std::size_t>(c)];
            const auto& spill =
                a->spill.cells[static_cast<std::size_t>(drum)][static_cast<std::size_t>(input)];
            const QRectF box = cell(r, c).adjusted(1, 1, -1, -1);
            const bool isOwn = a->hits.kit.drumOf[static_cast<std::size_t>(input)] == drum;
            QColor shade = isOwn ? t.teal : t.ochre;
            shade.setAlpha(spill.count == 0
                               ? 0
                               : static_cast<int>(std::clamp(150 * (1 + spill.levelDb / 36), 8.0, 150.0)));
            p.fillRect(box, shade);
            p.setFont(textFont(12, isOwn ? QFont::DemiBold : QFont::Normal));
            p.setPen(spill.count == 0 ? t.faint : t.ink);
            p.drawText(box, Qt::AlignCenter,
                       spill.count == 0
                           ? QStringLiteral("\u00b7")
                           : (spill.isDrowned ? QStringLiteral("< ") : QString()) + dbText(spill.levelDb, 0));
        }
    }
}

void SpillPicture::mousePressEvent(QMouseEvent* event) {
    const auto* a = m_desk.hits.analysis();
    if (a == nullptr)
        return;
    const auto inputs = shownInputs(*a);
    for (int c = 0; c < columns(); ++c)
        if (event->position().x() >= cell(0, c).left() && event->position().x() < cell(0, c).right())
            m_desk.document.select(
                a->elements[static_cast<std::size_t>(inputs[static_cast<std::size_t>(c)])]);
}

bool SpillPicture::event(QEvent* event) {
    const auto* a = m_desk.hits.analysis();
    if (event->type() == QEvent::ToolTip && a != nullptr) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const auto drums = shownDrums(*a);
        const auto inputs = shownInputs(*a);
        for (int r = 0; r < rows(); ++r)
            for (int c = 0; c < columns(); ++c)
                if (cell(r, c).contains(help->pos())) {
                    const int drum = drums[static_cast<std::size_t>(r)];
                    const auto& spill =
                        a->spill.cells[static_cast<std::size_t>(drum)]
                                      [static_cast<std::size_t>(inputs[static_cast<std::size_t>(c)])];
                    QToolTip::showText(help->globalPos(),
                                       spill.count == 0
                                           ? tr("It never plays alone.")
                                           : tr("%1 dB, spread %2 dB, over %3 hits%4")
                                                 .arg(dbText(spill.levelDb), dbText(spill.spreadDb))
                                                 .arg(spill.count)
                                                 .arg(spill.isDrowned
                                                          ? tr("; at most, the noise there is as loud")
                                                          : QString()),
                                       this);
                    return true;
                }
    }
    return QWidget::event(event);
}

} // namespace cask::app
