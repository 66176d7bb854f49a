#pragma once
#include "core/cell/new_cell.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QWidget>

namespace topikos {

class NumberField;
class Session;
class Viewport;

/// What a new cell starts with, and a picture of it: name, arm, height of its base, gripper.
class NewCellPage : public QWidget {
    Q_OBJECT
public:
    explicit NewCellPage(QWidget* parent = nullptr);

    /// Starts from the first arm of the catalogue, with the keys in the name.
    void start();

Q_SIGNALS:
    void made(const topikos::Cell& cell);
    void leaveRequested();

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    NewCell wanted() const;
    void showWanted();
    void make();

    QLineEdit* m_name;
    QComboBox *m_arm, *m_gripper;
    NumberField *m_height, *m_widest;
    QLabel *m_facts, *m_problem;
    Session* m_bench;  ///< the cell as it would be
    Viewport* m_view;
};

}  // namespace topikos
