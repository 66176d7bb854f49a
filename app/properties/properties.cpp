#include "app/properties/properties.h"

#include "app/properties/pages.h"

#include <QApplication>
#include <QLineEdit>
#include <QVBoxLayout>

#include <utility>

namespace topikos {

namespace {

/// The page for each kind of thing that can be selected.
struct NewPage {
    Session& session;
    QWidget* parent;
    Page* operator()(std::monostate) const { return new ThresholdsPage(session, parent); }
    Page* operator()(StepId) const { return new StepPage(session, parent); }
    Page* operator()(TargetId) const { return new TargetPage(session, parent); }
    Page* operator()(FrameId) const { return new FramePage(session, parent); }
    Page* operator()(PartId) const { return new PartPage(session, parent); }
    Page* operator()(ToolId) const { return new ToolPage(session, parent); }
    Page* operator()(ArmId) const { return new ArmPage(session, parent); }
    Page* operator()(PatternId) const { return new PatternPage(session, parent); }
};

}  // namespace

Properties::Properties(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    for (const auto signal : {&Session::selectionChanged, &Session::cellChanged})
        connect(&session, signal, this, &Properties::refreshLater);
    connect(&session, &Session::passChanged, this, &Properties::refreshLater);
    connect(&session, &Session::checkedChanged, this, [this] {
        // How often a step is done is known now, or how the places of a pattern fare.
        if (m_session.selected<StepId>() || m_session.selected<PatternId>()) refreshLater();
    });
    connect(&session, &Session::postureChanged, this, [this] { m_page->showAxesNow(); });
    connect(&session, &Session::nameWanted, this, [this] {
        m_nameWanted = true;
        refreshLater();
    });
    refresh();
}

void Properties::refreshLater()
{
    if (std::exchange(m_stale, true)) return;
    QMetaObject::invokeMethod(this, &Properties::refresh, Qt::QueuedConnection);
}

void Properties::refresh()
{
    m_stale = false;
    const Selection& selection = m_session.selection();
    bool lost = false;
    if (!m_page || m_kind != selection.index()) {
        if (m_page) {
            lost = m_page->isAncestorOf(QApplication::focusWidget());
            // What is on its way out must not be found in place of what comes.
            m_page->hide();
            for (QWidget* field : m_page->findChildren<QWidget*>())
                field->setObjectName({});
            m_page->deleteLater();
        }
        m_kind = selection.index();
        m_page = std::visit(NewPage{m_session, this}, selection);
        connect(m_page, &Page::refused, this, &Properties::refreshLater);
        connect(m_page, &Page::teachRequested, this, &Properties::teachRequested);
        connect(m_page, &Page::shapeFileRequested, this, &Properties::shapeFileRequested);
        layout()->addWidget(m_page);
        m_page->show();
    }
    m_page->refresh();
    if (lost) m_page->focusFirst();
    if (m_shown != selection) {
        m_shown = selection;
        QMetaObject::invokeMethod(this, &Properties::selectionShown, Qt::QueuedConnection);  // once it has its size
    }
    if (std::exchange(m_nameWanted, false))
        if (auto* name = findChild<QLineEdit*>("propertyName")) {
            name->setFocus(Qt::TabFocusReason);
            name->selectAll();
        }
}

}  // namespace topikos
