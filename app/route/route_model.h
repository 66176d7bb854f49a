#pragma once
#include "app/session/session.h"

#include <QAbstractListModel>

namespace topikos {

/// Ids of targets that are being dragged, with blanks between them.
inline constexpr const char* kTargetsMime = "application/x-topikos-targets";

/// The steps of the routine as a list: text, time, severity. Reordering and in-place text go back as edits of the cell.
class RouteModel : public QAbstractListModel {
    Q_OBJECT
public:
    enum Role {
        MainRole = Qt::UserRole,
        MoreRole,
        KindRole,
        OffRole,
        SecondsRole,
        SeverityRole,
        FrameRole,
        HereRole,  ///< the arm stands at the step's target
        RunsRole   ///< the run is in this step
    };

    explicit RouteModel(Session& session, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    Qt::DropActions supportedDropActions() const override { return Qt::MoveAction | Qt::CopyAction; }
    QStringList mimeTypes() const override { return {"application/x-topikos-steps", kTargetsMime}; }
    QMimeData* mimeData(const QModelIndexList& indexes) const override;
    bool dropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                      const QModelIndex& parent) override;

    /// Puts moves to targets that were dragged before a row: lines while Shift is held, else joint moves.
    bool dropTargets(const QMimeData& data, size_t row);
    /// Puts new steps before a row and selects them.
    bool insertSteps(const std::vector<Step>& steps, size_t row, const QString& label);
    /// Brings steps side by side, the first to row `to` of the others.
    bool moveSteps(const std::vector<StepId>& steps, size_t to);

    StepId idAt(int row) const;
    int rowOf(StepId step) const;

private:
    void refresh();

    Session& m_session;
    /// What the newest check says of a step.
    struct Verdict {
        std::optional<int> severity;
        QString words;
        std::optional<double> seconds;
    };
    void readCheck();

    Table<Step> m_steps;  ///< as last shown
    std::map<StepId, Verdict> m_verdicts;
};

}  // namespace topikos
