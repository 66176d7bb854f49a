#pragma once
#include "app/session/session.h"
#include "app/targets/targets_mime.h"
#include "core/cell/step_tree.h"
#include "core/program/vocabulary.h"

#include <QAbstractListModel>

#include <set>

namespace topikos {

/// The steps of the routine as rows: text, time, severity; blocks with what they hold further in, and a row for "else".
/// Reordering and in-place text go back as edits of the cell.
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
        HereRole,    ///< the arm stands at the step's target, in one of its passes
        RunsRole,    ///< the run is in this step, or in what it holds or calls
        DepthRole,   ///< how many blocks it is in
        FoldRole,    ///< of blocks: whether what it holds is hidden; invalid for other steps
        NumberRole,  ///< from 1; 0 for "else"
        HaltRole,    ///< the run halts before it
        ElseRole     ///< the row of an "else"
    };

    explicit RouteModel(Session& session, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    Qt::DropActions supportedDropActions() const override { return Qt::MoveAction | Qt::CopyAction; }
    QStringList mimeTypes() const override { return {"application/x-topikos-steps", kTargetsMime, "text/plain"}; }
    QMimeData* mimeData(const QModelIndexList& indexes) const override;
    bool dropMimeData(const QMimeData* data, Qt::DropAction action, int row, int column,
                      const QModelIndex& parent) override;

    /// Puts moves to targets that were dragged to a place: lines while Shift is held, else joint moves.
    bool dropTargets(const QMimeData& data, const StepPlace& place);
    /// Puts new steps to a place and selects them.
    bool insertSteps(const std::vector<Step>& steps, const StepPlace& place, const QString& label);
    /// Brings steps side by side to a place, counted with them where they are.
    bool moveSteps(const std::vector<StepId>& steps, const StepPlace& place);

    /// Steps that are dragged; none for other things.
    static std::vector<StepId> stepsOf(const QMimeData& data);
    /// A place counted as if steps were not there.
    StepPlace placeWithout(const std::vector<StepId>& steps, StepPlace place) const;
    StepId idAt(int row) const;
    int rowOf(StepId step) const;
    /// The place before a row; behind the last row the end of the routine.
    StepPlace placeBefore(int row) const;
    /// The place behind a step; in a block that is open and selected as a whole, its begin.
    StepPlace placeBehind(StepId step) const;
    size_t numberOf(StepId step) const;
    void setFolded(StepId block, bool folded);
    bool isFolded(StepId block) const { return m_folded.contains(block); }
    bool isElse(int row) const { return row >= 0 && row < int(m_now.rows.size()) && m_now.rows[size_t(row)].isElse; }
    bool hasFold(int row) const;

private:
    struct Row {
        const Step* step;
        int depth = 0;
        size_t number = 0;
        bool isElse = false;
        StepPlace place;
    };
    /// What is shown of a routine.
    struct Rows {
        Steps steps;
        std::vector<Row> rows;
        std::map<StepId, int> rowOf;
        CellPtr cell;
        mutable std::shared_ptr<const Vocabulary> words{};  ///< of that cell; see vocabulary()
    };
    void refresh();
    Rows rowsNow() const;
    const Vocabulary& vocabulary() const;
    void addRows(const Steps& steps, const StepPlace& place, int depth, size_t& number, bool shown, Rows& out) const;

    Session& m_session;
    /// What the newest check says of a step.
    struct Verdict {
        std::optional<int> severity;
        QString words;
        std::optional<double> seconds;  ///< all passes
        std::vector<TargetId> targets;  ///< where its passes end
    };
    void readCheck();

    Rows m_now;
    std::set<StepId> m_folded;
    std::map<StepId, Verdict> m_verdicts;
};

}  // namespace topikos
