#pragma once
#include "app/instruments/teach_panel.h"
#include "core/spatial/limits.h"
#include "app/session/session.h"

#include <QGridLayout>
#include <QLabel>
#include <QWidget>

#include <functional>

namespace topikos {

/// What the selected thing is made of, each value editable in place. Without a selection: the thresholds of the checks.
class Properties : public QWidget {
    Q_OBJECT
public:
    Properties(Session& session, QWidget* parent = nullptr);

Q_SIGNALS:
    /// The properties of another selection are in place.
    void selectionShown();
    /// Somebody wants to teach what is selected by points.
    void teachRequested(TeachPanel::Kind kind);
    /// A shape is to be read from a file into what is selected.
    void shapeFileRequested();

private:
    void rebuild();
    /// Makes an edit, or shows what it would make while a value is being typed.
    void edit(const QString& label, const Edit& change);
    /// Shows a value while it is typed: `apply` is the same as when it is entered.
    void showTyped(std::optional<double> value, const std::function<void(double)>& apply);
    void showStep(const Step& step);
    void showTarget(const Target& target);
    void showFrame(const Frame& frame);
    void showPart(const Part& part);
    void showTool(const Tool& tool);
    void showPattern(const Pattern& pattern);
    void showArm(const ArmStation& arm);
    void addDevice(const Frame& frame);
    void addAxis(const Frame& frame);
    /// Where the axes that are shown stand by now.
    void showAxesNow();
    /// Which device axes go to a target together with the arm, and where.
    void addTargetAxes(const Target& target);
    /// What steps about signals and device axes hold.
    void addStepDetails(const Step& step, const std::function<void(const Step&)>& change);
    /// The shapes of something, one of them in full, with buttons to add and remove.
    void addSolids(const std::vector<Solid>& solids,
                   std::function<void(const std::vector<Solid>&, const QString& label)> apply);
    void addLook(const Look& look);
    void addMass(double mass, const std::vector<Solid>& solids, std::function<void(const Inertial&)> apply);
    void showThresholds();

    void addName(const std::string& name, std::function<void(const std::string&)> apply);
    /// A number in display units; `apply` gets it in the same units.
    void addNumber(const QString& label, const QString& objectName, double value, const QString& unit, double low,
                   double high, int decimals, std::function<void(double)> apply, bool wide = false);
    /// The same from end to end of a limit, in units of `unitSize`.
    void addNumber(const QString& label, const QString& objectName, double value, const QString& unit,
                   const Limit& limit, double unitSize, int decimals, std::function<void(double)> apply,
                   bool wide = false);
    /// Six numbers in the display units, named `prefix`0 to 5; untouched ones keep their full digits.
    void addPose(const Pose& pose, std::function<void(const Pose&)> apply, const QString& prefix = "pose");
    struct Button {
        QString words, name, tip;
        std::function<void()> run;
    };
    void addButtons(const std::vector<Button>& buttons);
    void addHead(const QString& words);
    void addChoice(const QString& label, const QString& objectName, const QStringList& words, int current,
                   std::function<void(int)> apply);
    void addText(const QString& label, const QString& value);

    /// Puts a field behind its label: two to a row, or one over the whole width.
    void addField(const QString& label, QWidget* field, bool wide);
    void clear();

    Session& m_session;
    QLabel* m_title;
    QGridLayout* m_grid;
    int m_cell = 0;  ///< next free half row
    bool m_stale = false;
    bool m_trying = false;  ///< a value is being typed
    bool m_nameWanted = false;
    Selection m_shown;
    size_t m_shape = 0;       ///< of the shapes shown, the one in full
    size_t m_point = 0;       ///< of a tool's points, the one in full
    double m_density = 2700;  ///< typed last [kg/m^3]
};

/// The step made one that moves a device, to where its axes stand at the start.
Step axisStep(const Cell& cell, Step step, FrameId device);

}  // namespace topikos
