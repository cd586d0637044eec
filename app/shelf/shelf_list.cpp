#include "app/shelf/shelf_list.h"

#include "app/theme/theme.h"
#include "app/widgets/sound_drag.h"

#include <QMimeData>
#include <QUrl>

#include <algorithm>
#include <cmath>
#include <set>

namespace cask::app {
namespace {

Qt::Alignment alignmentOf(int column) {
    const bool isText = column == ShelfList::Name || column == ShelfList::Role || column == ShelfList::Why;
    return (isText ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter;
}

} // namespace

void ShelfList::setRows(std::vector<ShelfModel::Row> rows, const QString& whyWords) {
    beginResetModel();
    m_whyWords = whyWords;
    m_rows = std::move(rows);
    endResetModel();
}

int ShelfList::indexOf(std::int64_t sound) const {
    const auto at =
        std::find_if(m_rows.begin(), m_rows.end(), [&](const auto& row) { return row.sound.id == sound; });
    return at == m_rows.end() ? -1 : static_cast<int>(at - m_rows.begin());
}

int ShelfList::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
}

int ShelfList::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QVariant ShelfList::data(const QModelIndex& index, int role) const {
    const auto& row = m_rows[static_cast<std::size_t>(index.row())];
    const auto& look = row.sound.look;
    if (role == Qt::ToolTipRole)
        return QString::fromStdString(row.sound.file.string());
    if (role == Qt::TextAlignmentRole)
        return QVariant(alignmentOf(index.column()));
    if (role != Qt::DisplayRole)
        return {};
    switch (index.column()) {
    case Name:
        return QString::fromStdString(row.sound.file.stem().string());
    case Role: {
        const auto name = roleInfo(row.sound.role).name;
        return QString::fromUtf8(name.data(), static_cast<qsizetype>(name.size()));
    }
    case Length:
        return tr("%1 ms").arg(std::lround(look.lengthMs));
    case Brightness:
        return hzText(std::round(look.brightnessHz));
    case Note:
        return look.fundamentalHz > 0 ? hzText(std::round(10 * look.fundamentalHz) / 10) : QString();
    case Why:
        return row.why;
    default:
        return {};
    }
}

QVariant ShelfList::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation == Qt::Horizontal && role == Qt::TextAlignmentRole)
        return QVariant(alignmentOf(section));
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
        return {};
    switch (section) {
    case Name:
        return tr("sound");
    case Role:
        return tr("role");
    case Length:
        return tr("length");
    case Brightness:
        return tr("bright");
    case Note:
        return tr("note");
    case Why:
        return m_whyWords;
    default:
        return {};
    }
}

Qt::ItemFlags ShelfList::flags(const QModelIndex& index) const {
    return QAbstractTableModel::flags(index) | (index.isValid() ? Qt::ItemIsDragEnabled : Qt::NoItemFlags);
}

QStringList ShelfList::mimeTypes() const {
    return {QString::fromLatin1(kSoundsMime), QStringLiteral("text/uri-list")};
}

QMimeData* ShelfList::mimeData(const QModelIndexList& indexes) const {
    std::set<int> rows;
    for (const auto& index : indexes)
        rows.insert(index.row());
    QList<QUrl> urls;
    for (const int row : rows)
        urls << QUrl::fromLocalFile(
            QString::fromStdString(m_rows[static_cast<std::size_t>(row)].sound.file.string()));
    auto* data = new QMimeData;
    data->setUrls(urls);
    data->setData(QString::fromLatin1(kSoundsMime), "1");
    return data;
}

} // namespace cask::app
