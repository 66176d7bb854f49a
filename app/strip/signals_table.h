#pragma once
#include "app/session/session.h"

#include <QLabel>
#include <QTableWidget>

namespace topikos {

/// The signals of the cell: name, kind, start and value at the shown time, who writes them and who reads them.
class SignalsTable : public QWidget {
    Q_OBJECT
public:
    SignalsTable(Session& session, QWidget* parent = nullptr);

protected:
    void showEvent(QShowEvent* event) override;

private:
    void fill();
    void showValues();
    void add(Signal::Kind kind);
    SignalId signalAt(int row) const;

    Session& m_session;
    QTableWidget* m_table;
    QLabel* m_empty;
    bool m_filling = false;
};

}  // namespace topikos
