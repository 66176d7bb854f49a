#pragma once
#include <QAction>
#include <QLineEdit>

#include <functional>

namespace topikos {

/// One field that finds and does everything: actions by name, targets, frames and steps by theirs.
class CommandField : public QLineEdit {
    Q_OBJECT
public:
    struct Entry {
        QString words;
        QString hint;  ///< shortcut or kind
        std::function<void()> run;
    };
    /// `entries` is asked anew whenever the field gets the focus.
    CommandField(std::function<std::vector<Entry>()> entries, QWidget* parent = nullptr);

protected:
    void focusInEvent(QFocusEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;

private:
    void refill();
    std::function<std::vector<Entry>()> m_source;
    std::vector<Entry> m_entries;
    class QStandardItemModel* m_model;
};

}  // namespace topikos
