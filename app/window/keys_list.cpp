#include "app/theme/theme.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QKeyEvent>
#include <QMenu>
#include <QMenuBar>
#include <QTextBrowser>
#include <QVBoxLayout>

/// The list of all keys, made from the actions themselves.
namespace topikos {

namespace {

QString rowOf(const QString& keys, const QString& words)
{
    return QString("<tr><td><b>%1</b>&nbsp;&nbsp;&nbsp;</td><td>%2</td></tr>")
        .arg(keys.toHtmlEscaped(), words.toHtmlEscaped());
}

void addRows(const QMenu& menu, QString& rows)
{
    for (const QAction* action : menu.actions()) {
        if (const QMenu* inner = action->menu()) {
            addRows(*inner, rows);
            continue;
        }
        QStringList keys;
        for (const QKeySequence& key : action->shortcuts())
            keys << key.toString(QKeySequence::NativeText);
        if (!keys.isEmpty()) rows += rowOf(keys.join(", "), action->text().remove('&'));
    }
}

}  // namespace

QString MainWindow::keysText() const
{
    QString out;
    for (const QAction* action : findChild<QMenuBar*>("menuBar")->actions()) {
        QString rows;
        if (action->menu()) addRows(*action->menu(), rows);
        if (!rows.isEmpty()) out += QString("<h4>%1</h4><table>%2</table>").arg(action->text().remove('&'), rows);
    }
    QString rows;
    for (const auto& [keys, words] : Viewport::keys())
        rows += rowOf(keys, words);
    return QString("<h4>In the view</h4><table>%1</table>%2"
                   "<p>Letters, digits and Delete act in the view and in lists; in a text or table they type.</p>")
        .arg(rows, out);
}

void MainWindow::showKeys()
{
    QDialog dialog(this);
    dialog.setObjectName("keysDialog");
    dialog.setWindowTitle("Keys");
    dialog.resize(560, 600);
    auto* column = new QVBoxLayout(&dialog);
    auto* words = new QTextBrowser(&dialog);
    words->setObjectName("keysText");
    words->setHtml(keysText());
    column->addWidget(words);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, &dialog);
    connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    column->addWidget(buttons);
    dialog.exec();
}

}  // namespace topikos
