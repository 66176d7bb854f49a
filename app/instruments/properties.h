#pragma once
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

private:
    void rebuild();
    void showStep(const Step& step);
    void showTarget(const Target& target);
    void showFrame(const Frame& frame);
    void showPart(const Part& part);
    void showTool(const Tool& tool);
    void showThresholds();

    void addName(const std::string& name, std::function<void(const std::string&)> apply);
    /// A number in display units; `apply` gets it in the same units.
    void addNumber(const QString& label, const QString& objectName, double value, const QString& unit, double low, double high, int decimals, std::function<void(double)> apply, bool wide = false);
    /// Six numbers; untouched ones keep their full digits.
    void addPose(const Pose& pose, std::function<void(const Pose&)> apply);
    void addChoice(const QString& label, const QString& objectName, const QStringList& words, int current, std::function<void(int)> apply);
    void addText(const QString& label, const QString& value);

    /// Puts a field behind its label: two to a row, or one over the whole width.
    void addField(const QString& label, QWidget* field, bool wide);
    void clear();

    Session& m_session;
    QLabel* m_title;
    QGridLayout* m_grid;
    int m_cell = 0;  ///< next free half row
    bool m_stale = false;
};

}  // namespace topikos
