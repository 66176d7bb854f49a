#pragma once
#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>
#include <QWidget>

namespace topikos {

/// The pages of the manual, read without a network: a list of them, a search through all, and the page.
class ManualPage : public QWidget {
    Q_OBJECT
public:
    explicit ManualPage(QWidget* parent = nullptr);

    /// Shows a page by its file name without ending, "teach", from the section under a heading or from its start.
    void showPage(const QString& name, const QString& section = {});

Q_SIGNALS:
    void leaveRequested();

private:
    /// Lists the pages that hold the words, and marks the first place on the page shown.
    void search(const QString& words);
    void keyPressEvent(QKeyEvent* event) override;

    QLineEdit* m_search;
    QListWidget* m_list;
    QTextBrowser* m_page;
};

}  // namespace topikos
