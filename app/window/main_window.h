#pragma once
#include "app/session/session.h"
#include "app/window/command_field.h"
#include "app/window/commands.h"

#include <QFileSystemWatcher>
#include <QLabel>
#include <QMainWindow>
#include <QPointer>
#include <QPushButton>
#include <QSplitter>
#include <QStackedWidget>
#include <QTabWidget>

namespace topikos {

class ArmsPage;
class BestWaysOffer;
class BreakdownPanel;
class CurvesPanel;
class CycleStrip;
class FindingsList;
class Guide;
class LayoutPanel;
class ManualPage;
class MessageLog;
class NewCellPage;
class NoticeBar;
class Properties;
class Recovery;
class RoutePanel;
class TargetsPanel;
class TeachPanel;
class TravelBars;
class Viewport;
class WordsField;

/// The window: regions around the view, actions in menus, all of them also found by typing.
class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(QWidget* parent = nullptr);
    ~MainWindow() override;

    Session& session() { return *m_session; }
    Viewport& viewport() { return *m_view; }
    const Commands& commands() const { return m_commands; }

    /// Opens a cell file; a refusal is shown and leaves what is open as it is.
    bool openFile(const QString& path);
    /// Brings frames, tools or the arm of another cell file in, as chosen in a list.
    void bringFromCell(const QString& path);
    /// Opens a shipped example as a cell without a file.
    bool openExample(const QString& name);
    bool saveTo(const QString& path);
    bool save();
    /// Writes a picture of the whole window once the check is in and the view has settled, then calls `done`.
    void pictureWhenSettled(const QString& path, std::function<void(bool)> done);

    /// The page of arms and data sheets, shown in place of the regions; made when first asked for.
    ArmsPage& armsPage();
    void showArms(bool shown);
    bool armsShown() const;
    /// A page of the manual, in place of the regions, until it is left.
    void showManual(const QString& page, const QString& section = {});

public Q_SLOTS:
    /// Follows "manual:PAGE#SECTION".
    void openManual(const QUrl& place);

protected:
    void closeEvent(QCloseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;

private:
    void buildHead();
    void buildRegions();
    QWidget* buildView();
    QWidget* buildInstruments();
    void buildStrip();
    /// The left column: the faces, and below them the properties of what is selected.
    void buildSide();
    /// The keys go to the properties, or back to where they came from.
    void goToProperties();
    void buildActions();
    void buildFileMenu(QMenuBar& bar);
    void buildEditMenu(QMenuBar& bar);
    void buildViewMenu(QMenuBar& bar);
    void buildTrailMenu(QMenu& view);
    void buildLookMenus(QMenu& view);
    void buildCellMenu(QMenuBar& bar);
    void buildTeachMenu(QMenuBar& bar);
    void buildHandCommands(QMenu& teach);
    void buildRouteMenu(QMenuBar& bar);
    void buildCheckMenu(QMenuBar& bar);
    void buildRunMenu(QMenuBar& bar);
    void buildHelpMenu(QMenuBar& bar);
    QAction* action(QMenu* menu, const QString& words, const QString& tip, const QKeySequence& keys,
                    std::function<void()> run);
    /// What the field finds: commands, and what is in the cell.
    std::vector<CommandField::Entry> entries();
    void refreshHead();
    void refreshActions();
    /// The regions as they are at first, for the window's size; until somebody drags them they go with it.
    void restoreLayout();
    /// The strip fills the window, or goes back to its place.
    void growStrip();
    void deleteSelectedThing();
    void setLook(bool dark, bool contrast);
    /// How large everything is, from the next start on.
    void chooseSize(int percent);
    void askAndOpen();
    void askForShape();
    void filesDropped(const QStringList& paths);
    bool saveAs();
    /// Asks what the new cell is to have.
    void startNewCell();
    /// How many there are.
    int offerLostCells();
    /// Reads a cell file beside the interface, with progress and cancel when it takes long; a refusal is told.
    std::optional<Cell> readBeside(const QString& path, QByteArray* digest = nullptr);
    void bringFromCell();
    /// `known`: digest of the file, when it has just been read.
    void watchFile(const QByteArray& known = {});
    void fileChangedOutside();
    void remember(const QString& path);
    void fillRecent();
    /// Asks about unsaved changes; false when the person wants to stay.
    bool mayLeave();
    void showProblem(const QString& words);
    /// Every command with keys, and what the keys do in the view.
    QString keysText() const;
    void showKeys();

    Session* m_session;
    Viewport* m_view;
    RoutePanel* m_route;
    TargetsPanel* m_targets;
    LayoutPanel* m_layout;
    CycleStrip* m_cycle;
    FindingsList* m_findings;
    BreakdownPanel* m_breakdown;
    CurvesPanel* m_curves;
    QWidget *m_contact, *m_signals, *m_place, *m_reach, *m_table;
    BestWaysOffer* m_bestWays;
    QStackedWidget* m_pages;
    ArmsPage* m_arms = nullptr;
    ManualPage* m_manual = nullptr;
    NewCellPage* m_newCell = nullptr;
    Guide* m_guide;
    QTabWidget *m_left, *m_bottom;
    QSplitter *m_columns, *m_rows;
    QSplitter* m_side = nullptr;
    Properties* m_properties = nullptr;
    bool m_ownSizes = false;  ///< somebody has dragged the regions
    int m_face = 1;
    QList<int> m_rowSizes;                  ///< before the strip filled the window
    std::map<int, QList<int>> m_sideSizes;  ///< of the side column, by face
    QPointer<QWidget> m_cameFrom;           ///< before the keys went to the properties
    WordsField* m_name;
    QLabel *m_saveState, *m_blocked, *m_cautions, *m_cycleTime, *m_time;
    QPushButton *m_run, *m_step, *m_rewind, *m_speed, *m_plan;
    CommandField* m_command;
    TeachPanel* m_teach;
    NoticeBar* m_notices;
    MessageLog* m_messages;
    Recovery* m_recovery;
    QFileSystemWatcher m_watcher;
    QByteArray m_onDisk;  ///< digest of the file as this window knows it
    QMenu* m_recent;
    QAction *m_undo, *m_redo;
    Commands m_commands{*this};
};

}  // namespace topikos
