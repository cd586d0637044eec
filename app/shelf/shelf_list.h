// The sounds of a question as a table that can be dragged from.
#pragma once

#include "app/models/shelf_model.h"

#include <QAbstractTableModel>

namespace cask::app {

class ShelfList : public QAbstractTableModel {
    Q_OBJECT

  public:
    enum Column { Name, Role, Length, Brightness, Note, Why, kColumns };

    using QAbstractTableModel::QAbstractTableModel;
    /// `whyWords` heads the last column.
    void setRows(std::vector<ShelfModel::Row> rows, const QString& whyWords = {});
    [[nodiscard]] const ShelfModel::Row& row(int index) const {
        return m_rows[static_cast<std::size_t>(index)];
    }
    [[nodiscard]] int indexOf(std::int64_t sound) const; ///< -1: it is not in the list

    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
    [[nodiscard]] QStringList mimeTypes() const override;
    [[nodiscard]] QMimeData* mimeData(const QModelIndexList& indexes) const override;

  private:
    std::vector<ShelfModel::Row> m_rows;
    QString m_whyWords;
};

} // namespace cask::app
