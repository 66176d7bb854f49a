#include "app/window/commands.h"

#include <algorithm>

namespace topikos {

namespace {

QString idOf(QString words)
{
    words = words.toLower().replace(" + ", " plus ").replace(" - ", " minus ");
    QString id;
    for (const QChar c : words)
        if (c.isLetterOrNumber()) id += c;
        else if (!id.isEmpty() && !id.endsWith('-')) id += '-';
    while (id.endsWith('-'))
        id.chop(1);
    return id;
}

int plainKeyOf(const QAction& action)
{
    for (const QKeySequence& keys : action.shortcuts()) {
        if (keys.count() != 1 || keys[0].keyboardModifiers() != Qt::NoModifier) continue;
        // Behind Escape come keys that type nothing: F1 and the like.
        if (const Qt::Key key = keys[0].key(); key < Qt::Key_Escape || key == Qt::Key_Delete) return key;
    }
    return 0;
}

}  // namespace

QMenu* Commands::menu(QMenuBar& bar, const QString& title, When when)
{
    QMenu* made = bar.addMenu(title);
    m_menus[made] = when;
    return made;
}

QAction* Commands::add(QMenu* menu, const QString& words, const QString& tip, const QList<QKeySequence>& keys,
                       std::function<void()> run)
{
    auto* action = new QAction(words, &m_window);
    action->setToolTip(tip);
    action->setStatusTip(tip);
    action->setShortcuts(keys);
    QObject::connect(action, &QAction::triggered, &m_window, [run = std::move(run)] { run(); });
    menu->addAction(action);
    menu->setToolTipsVisible(true);
    m_window.addAction(action);
    const QWidget* top = menu;
    while (top && !m_menus.contains(top))
        top = top->parentWidget();
    m_all.push_back({idOf(words), action, top ? m_menus.at(top) : When::Always, plainKeyOf(*action)});
    action->setObjectName(m_all.back().id);
    return action;
}

QList<QAction*> Commands::named(const std::vector<const char*>& ids) const
{
    QList<QAction*> out;
    for (const QString id : ids) {
        if (id.isEmpty()) {
            out << new QAction(&m_window);
            out.back()->setSeparator(true);
            continue;
        }
        const auto own = std::find_if(m_all.begin(), m_all.end(), [&](const Command& c) { return c.id == id; });
        if (own == m_all.end()) qFatal("there is no command %s", qPrintable(id));
        out << own->action;
    }
    return out;
}

bool Commands::doPlain(int key) const
{
    const auto own = std::find_if(m_all.begin(), m_all.end(), [&](const Command& c) { return c.plainKey == key; });
    if (key == 0 || own == m_all.end()) return false;
    own->action->trigger();
    return true;
}

void Commands::setCellSeen(bool seen)
{
    for (const Command& c : m_all)
        if (c.when == When::CellSeen) c.action->setEnabled(seen);
}

}  // namespace topikos
