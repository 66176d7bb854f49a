#pragma once
#include "app/arms/sheet_model.h"
#include "app/session/session.h"
#include "core/files/urdf.h"

#include <QStackedWidget>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTableView>

namespace topikos {

class Viewport;

/// Where an arm comes from: the catalogue, a data sheet, a file. The sheet below, the arm it describes above, live;
/// what looks like a mistake beside it.
class ArmsPage : public QWidget {
    Q_OBJECT
public:
    explicit ArmsPage(Session& session, QWidget* parent = nullptr);

    SheetModel& model() const { return *m_model; }
    Viewport& view() const { return *m_view; }
    Session& bench() const { return *m_bench; }

    /// Shows an arm's sheet, unless one that was entered here is neither saved nor used yet.
    void show(const ArmDescription& arm);
    /// Asks about a sheet that was entered here and is neither saved nor used; false when the person keeps it.
    bool mayDropSheet();
    /// Opens a .topikos-arm or URDF file; a refusal is shown and changes nothing.
    bool openFile(const QString& path);
    bool saveTo(const QString& path);
    /// Draws link `link` (0: the base, i: moving with axis i) from a mesh file in place of what it had. Files larger
    /// than 10 across are taken as millimetres.
    bool addSurface(int link, const QString& path);
    /// Makes the sheet's arm the arm of the cell, in one undoable edit.
    void useInCell();
    /// Moves the axis of the selected row from end to end and back.
    void sweep();
    void setSweepTime(double seconds) { m_sweepSeconds = seconds; }

Q_SIGNALS:
    void leaveRequested();

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    QWidget* buildBar();
    QWidget* buildGallery();
    QWidget* buildFacts();
    QWidget* buildSheet();
    void sheetChanged();
    void showReach();
    void showFacts();
    void filter(const QString& words);
    /// Id for an arm of this name that no catalogue arm has.
    static QString idFrom(const QString& name);
    void chooseChain();
    /// The URDF text as an arm with its surfaces; folders of packages are asked for once and remembered.
    Result<ArmPtr> armOfUrdf(const UrdfChain& chain);
    void changeWhole(const std::function<void(DataSheet&)>& change);
    void fillFlange();
    int row() const;
    void say(const QString& words, bool alert = false);

    Session& m_session;
    SheetModel* m_model;
    Session* m_bench;  ///< the arm alone, for the picture
    Viewport* m_view;
    QStackedWidget* m_picture;  ///< the view, or a note while the sheet has no axes
    QTableView* m_table;
    QListWidget *m_gallery, *m_warnings;
    QLineEdit *m_search, *m_name, *m_payload, *m_reach;
    std::array<QLineEdit*, 6> m_flange;
    std::array<QLabel*, 3> m_flangeAngles;
    QComboBox *m_placement, *m_angles, *m_base, *m_tip;
    QWidget* m_chain;
    QLabel* m_family;
    QPushButton *m_use, *m_sweep;
    QTimer m_sweepTimer;
    QElapsedTimer m_sweepClock;
    double m_sweepSeconds = 4;
    double m_sweepPlace = 0;  ///< share of the sweep done
    JointVector m_sweepStart;
    Result<ArmPtr> m_arm;               ///< of the sheet as it is
    QString m_urdf, m_urdfPath;         ///< text and place of the file whose chain can be chosen
    std::vector<std::string> m_missed;  ///< surfaces of it that could not be had
};

}  // namespace topikos
