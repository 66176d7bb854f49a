#pragma once
#include "app/session/session.h"
#include "app/session/text.h"

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

namespace topikos {

/// Points touched with the TCP, or typed, that place a frame, correct it as built, or find a tool's TCP. Stays open
/// beside everything else until it is applied or closed; shows what the points say before anything is changed.
class TeachPanel : public QFrame {
    Q_OBJECT
public:
    enum class Kind { Frame, AsBuilt, Tcp };

    TeachPanel(Session& session, QWidget* parent = nullptr);
    /// Begins anew for the selected frame or tool.
    void start(Kind kind);

Q_SIGNALS:
    void started();

private:
    void take();
    void apply();
    void judge();
    void fillRow(int row, const Vec3& measured);
    std::optional<Vec3> pointAt(int row) const;

    Session& m_session;
    Kind m_kind = Kind::Frame;
    FrameId m_frame;
    ToolId m_tool;
    TcpId m_tcp;
    const DisplayUnit* m_unit = nullptr;              ///< in which the points stand in the table
    std::vector<Pose> m_postures;                     ///< Tcp: baseFromFlange at each take
    std::function<Result<Cell>(const Cell&)> m_edit;  ///< what Apply would do; empty while the points do not tell
    QLabel *m_title, *m_result, *m_help;
    QTableWidget* m_table;
    QPushButton *m_take, *m_apply;
};

}  // namespace topikos
