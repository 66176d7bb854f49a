#pragma once
#include "app/background/background.h"
#include "app/session/session.h"
#include "core/simulate/breakdown.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

namespace topikos {

/// Where the time of the run goes: bars by step, routine, arm and device, or by what is waited for, beside what corners
/// save and what joints, singularities and low speeds cost. A step chosen here is chosen everywhere.
class BreakdownPanel : public QWidget {
    Q_OBJECT
public:
    BreakdownPanel(Session& session, QWidget* parent = nullptr);
    const Breakdown& breakdown() const { return m_made.breakdown; }

protected:
    void showEvent(QShowEvent* event) override;

private:
    /// Works it out anew when the run is another one; makes the table.
    void refresh();
    void fill();
    void fillSteps();
    void addRow(const QString& name, double seconds, double lost, const QColor& color, const QStringList& rest,
                StepId step = {}, RoutineId routine = {});
    void saveTable();

    /// A breakdown with the cell that it is of, which may be edited while it is made.
    struct Made {
        Breakdown breakdown;
        std::shared_ptr<const Cell> cell;
    };

    Session& m_session;
    Made m_made;
    std::shared_ptr<const void> m_of;    ///< the run that it is of, or is being made of
    std::shared_ptr<const void> m_with;  ///< and the one that it is compared with
    Background m_work;
    QLabel* m_summary;
    QComboBox* m_by;
    QPushButton *m_keep, *m_save;
    QTableWidget* m_table;
    QLabel* m_empty;
    bool m_filling = false;
    double m_largest = 0;  ///< of the rows [s]
};

}  // namespace topikos
