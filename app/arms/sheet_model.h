#pragma once
#include "core/robot/data_sheet.h"

#include <QAbstractTableModel>

namespace topikos {

/// A data sheet as a table: one row per axis, in millimetres and degrees. Every change is one step of its own history.
class SheetModel : public QAbstractTableModel {
    Q_OBJECT
public:
    explicit SheetModel(DataSheet sheet, QObject* parent = nullptr);

    const DataSheet& sheet() const { return m_states[m_at]; }
    /// Another sheet; the history starts anew.
    void open(DataSheet sheet);
    /// One change, undone in one step.
    void change(DataSheet sheet);
    void undo();
    void redo();
    /// Whether something has been entered since the sheet was opened, saved or used.
    bool isChanged() const { return m_at != m_opened; }
    void markKept() { m_opened = m_at; }

    /// A new axis after row `after` (-1: first), 100 mm above the one before; removes a row.
    void addAxis(int after);
    void removeAxis(int row);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    /// Column with this heading, -1 if the placement has none.
    int columnOf(const QString& heading) const;

Q_SIGNALS:
    void sheetChanged();
    void refused(const QString& words);

private:
    struct Column;
    const std::vector<Column>& columns() const;
    void show();

    std::vector<DataSheet> m_states;
    size_t m_at = 0, m_opened = 0;
};

}  // namespace topikos
