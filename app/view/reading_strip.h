#pragma once
#include "app/session/session.h"

#include <QBoxLayout>
#include <QComboBox>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>

namespace topikos {

/// Says which tool moves and from which frame its pose is read, with the live pose. Typed values are judged before the
/// arm moves.
class ReadingStrip : public QFrame {
    Q_OBJECT
public:
    ReadingStrip(Session& session, QWidget* parent);

    /// Takes its place at the top, in one line where the room is there, else in two or three.
    void fit(int width);

Q_SIGNALS:
    void resized();

private:
    void showPose();
    void fillFrames();
    std::optional<Pose> typedPose();  ///< frameFromTcp; nothing while a value is not a number
    void judge();
    void go();
    void dropTyped();
    bool eventFilter(QObject* object, QEvent* event) override;

    Session& m_session;
    QBoxLayout *m_lines, *m_numbers;
    QLabel* m_tool;
    QComboBox* m_frame;
    QLineEdit* m_values[6];
    QLabel* m_angleNames[3];
    QLabel* m_units[2];  ///< of lengths, of angles
    QLabel* m_verdict;
    QString m_shown[6];  ///< what the fields held before typing began
};

}  // namespace topikos
