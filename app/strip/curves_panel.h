#pragma once
#include "app/session/session.h"
#include "core/curves/curves.h"

#include <QCheckBox>
#include <QLabel>
#include <QTimer>
#include <QTreeWidget>

class QCustomPlot;
class QCPAxisRect;
class QCPGraph;
class QCPItemStraightLine;
class QCPItemText;
class QCPMarginGroup;
class QScrollArea;

namespace topikos {

/// Curves of the run over its time, any number of them stacked on one time axis, with one cursor that is the time of
/// the run. Only what is visible is worked out.
class CurvesPanel : public QWidget {
    Q_OBJECT
public:
    CurvesPanel(Session& session, QWidget* parent = nullptr);
    ~CurvesPanel() override;
    /// Which curves are drawn.
    std::vector<Curve> chosen() const;
    void choose(const std::vector<Curve>& curves);
    /// What stands at the cursor: a line for each panel.
    QStringList readOut() const;
    QCustomPlot* plot() const { return m_plot; }
    /// Shows a stretch of the run [s].
    void showStretch(double from, double to);

protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void changeEvent(QEvent* event) override;

private:
    struct Panel {
        std::vector<Curve> curves;
        QCPAxisRect* rect = nullptr;
        std::vector<QCPGraph*> graphs, before;
        QCPItemStraightLine* cursor = nullptr;
        QCPItemText* words = nullptr;
    };
    void fillList();
    /// Panels anew; then their data.
    void rebuild();
    void sample();
    void showColors();
    void moveCursor();
    void scrubTo(double x);
    void saveCurves();
    double duration() const;
    double shownFactor(const Cell& cell, const Curve& curve) const;

    Session& m_session;
    QTreeWidget* m_list;
    QScrollArea* m_scroll;
    QCustomPlot* m_plot = nullptr;
    QCPMarginGroup* m_margins = nullptr;  ///< makes the panels equally wide
    QStringList m_listed;                 ///< curves in the list
    QCheckBox* m_share;                   ///< of the limit
    QLabel* m_empty;
    std::vector<Panel> m_panels;
    double m_from = 0, m_to = 0;  ///< what is seen of the run [s]
    double m_whole = 0;           ///< duration of the run that is drawn [s]
    QTimer m_later;
    double m_grabbed = 0;  ///< time under the pointer when it began to drag [s]
    bool m_filling = false, m_scrubs = false;
};

}  // namespace topikos
