#pragma once
#include <QAction>
#include <QMenu>
#include <QMenuBar>

#include <functional>
#include <map>
#include <vector>

namespace topikos {

/// Everything that can be done from a menu, told once: its words, its keys, when it can be done and where it stands.
/// Menus, the field that finds and does, the list of keys, the menus of lists and what plain keys do come from here.
class Commands {
public:
    enum class When {
        Always,
        CellSeen  ///< it acts on the cell: not while another page hides that
    };
    struct Command {
        QString id;  ///< made from its first words: "take-target-here"
        QAction* action;
        When when;
        int plainKey;  ///< without Ctrl or Alt, which does it in the view and in lists; 0: none
    };

    explicit Commands(QWidget& window) : m_window(window) {}

    /// A menu of the bar; its commands, and those of menus in it, can be done `when`.
    QMenu* menu(QMenuBar& bar, const QString& title, When when);
    /// Goes into a menu, behind what is there.
    QAction* add(QMenu* menu, const QString& words, const QString& tip, const QList<QKeySequence>& keys,
                 std::function<void()> run);

    const std::vector<Command>& all() const { return m_all; }
    /// By their ids, for the menu of a list; an empty one is a line between two.
    QList<QAction*> named(const std::vector<const char*>& ids) const;
    /// Does what a plain key stands for; false when it stands for nothing.
    bool doPlain(int key) const;
    /// What acts on the cell can be done while that is seen.
    void setCellSeen(bool seen);

private:
    QWidget& m_window;
    std::vector<Command> m_all;
    std::map<const QWidget*, When> m_menus;
};

}  // namespace topikos
