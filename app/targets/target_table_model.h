#pragma once
#include "app/session/session.h"

#include <QAbstractTableModel>

namespace topikos {

/// The targets of the arm in hand, a row each, in the units that are shown. What is typed into a cell is one edit.
class TargetTableModel : public QAbstractTableModel {
    Q_OBJECT
public:
    enum Column { Name, In, X, Y, Z, A, B, C, Way, Approach, Retract, Group, Note, Verdict, kColumns };

    explicit TargetTableModel(Session& session, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;

    TargetId targetAt(int row) const;
    int rowOf(TargetId id) const;  ///< -1: none

    /// Only targets whose name, frame, group or note holds these words; "" for all.
    void filter(const QString& words);

    /// Rows and columns as a spreadsheet takes them, with a line of names that paste() reads again.
    QString tableOf(const std::vector<int>& rows) const;
    /// A pasted table as targetsFromCsv() reads it.
    struct Pasted {
        std::string table;
        bool named = false;  ///< its first line was names of columns; else one was put before it
    };
    /// Taken as it is if its first line names columns. Else its columns are those from `column` on, and without the
    /// names among them its rows are the targets from `row` on; refused where they do not fit.
    Result<Pasted> pasted(const QString& words, int row, int column) const;

private:
    void fill();
    QString shown(const Target& target, int column) const;
    bool editable(const Target& target, int column) const;

    Session& m_session;
    std::vector<TargetId> m_rows;
    QString m_words;
};

}  // namespace topikos
