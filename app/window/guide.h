#pragma once
#include "app/session/session.h"

#include <QLabel>
#include <QPushButton>
#include <QWidget>

namespace topikos {

/// The first cell in ten steps: says what to do, sees when it is done, and can be left at any time.
class Guide : public QWidget {
    Q_OBJECT
public:
    Guide(Session& session, QWidget* parent = nullptr);

    void start();
    void leave();
    /// From 0; the number of steps when all are done.
    int step() const { return m_step; }

private:
    void watch();
    void showStep();

    Session& m_session;
    int m_step = 0;
    QLabel *m_count, *m_words;
    QPushButton *m_skip, *m_leave;
};

}  // namespace topikos
