#include "app/instruments/teach_panel.h"

#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "core/cell/teach.h"
#include "core/robot/forward.h"
#include "core/spatial/number_text.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

namespace topikos {

TeachPanel::TeachPanel(Session& session, QWidget* parent) : QFrame(parent), m_session(session)
{
    setObjectName("teachPanel");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 6, 8, 6);
    column->setSpacing(4);
    m_title = new QLabel(this);
    m_title->setFont(textFont(12, QFont::DemiBold));
    m_title->setWordWrap(true);
    column->addWidget(m_title);
    m_help = new QLabel(this);
    m_help->setWordWrap(true);
    m_help->setProperty("class", "faint");
    column->addWidget(m_help);
    m_table = new QTableWidget(this);
    m_table->setObjectName("teachTable");
    m_table->setAccessibleName("Points");
    m_table->setFont(figureFont(11));
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    m_table->verticalHeader()->setDefaultSectionSize(24);
    m_table->verticalHeader()->setMinimumWidth(52);
    connect(m_table, &QTableWidget::cellChanged, this, &TeachPanel::judge);
    column->addWidget(m_table);
    m_result = new QLabel(this);
    m_result->setObjectName("teachResult");
    m_result->setWordWrap(true);
    column->addWidget(m_result);
    auto* row = new QHBoxLayout;
    m_take = addButton(row, this, "teachTake", "Take TCP", "Where the TCP stands now", [this] { take(); });
    m_apply = addButton(row, this, "teachApply", "Apply", "Nothing is changed before", [this] { apply(); });
    addButton(row, this, "teachClose", "Close", "Leave everything as it is", [this] { hide(); });
    row->addStretch();
    column->addLayout(row);
    connect(&session, &Session::opened, this, [this] { hide(); });
    connect(&session, &Session::cellChanged, this, [this] {
        if (isHidden()) return;
        if (m_kind == Kind::Tcp ? !findTool(m_session.cell(), m_tool) : !findFrame(m_session.cell(), m_frame)) hide();
    });
    hide();
}

void TeachPanel::start(Kind kind)
{
    m_kind = kind;
    m_frame = m_session.selected<FrameId>();
    m_tool = m_session.selected<ToolId>();
    m_postures.clear();
    m_edit = {};
    const Cell& cell = m_session.cell();
    const Frame* frame = findFrame(cell, m_frame);
    const Tool* tool = findTool(cell, m_tool);
    if (kind == Kind::Tcp ? !tool : !frame)
        return m_session.say(kind == Kind::Tcp ? "Select the tool whose TCP is to be found."
                                               : "Select the frame that is to be placed.",
                             true);
    m_tcp = kind == Kind::Tcp && m_session.station().tool == m_tool ? m_session.station().tcp : TcpId{};
    const QSignalBlocker quiet(m_table);
    m_table->clear();
    m_unit = &lengthUnit();
    const QString unit = m_unit->symbol;
    if (kind == Kind::AsBuilt) {
        m_title->setText("Measure " + text(frame->name) + " as built");
        m_help->setText(QString("In %1 [%2]: three points of the fixture as drawn (at first on the frame's axes), and "
                                "where each was found.")
                            .arg(text(frameName(cell, frame->parent)), unit));
        m_table->setColumnCount(3);
        m_table->setHorizontalHeaderLabels({"X", "Y", "Z"});
        m_table->setRowCount(6);
        const Vec3 nominal[] = {frame->pose.translation, frame->pose * Vec3(0.2, 0, 0), frame->pose * Vec3(0, 0.2, 0)};
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 3; ++c)
                m_table->setItem(2 * r, c, new QTableWidgetItem(placeFigure(nominal[r][c])));
        m_table->setVerticalHeaderLabels({"drawn", "found", "drawn", "found", "drawn", "found"});
        m_table->setCurrentCell(1, 0);
    } else if (kind == Kind::Frame) {
        m_title->setText("Place " + text(frame->name) + " by three points");
        m_help->setText(QString("In %1 [%2]. Bring the TCP to the place and take it, or type it.")
                            .arg(text(frameName(cell, frame->parent)), unit));
        m_table->setColumnCount(3);
        m_table->setHorizontalHeaderLabels({"X", "Y", "Z"});
        m_table->setRowCount(3);
        m_table->setVerticalHeaderLabels({"Origin", "On +x", "To +y"});
        m_table->setCurrentCell(0, 0);
    } else {
        m_title->setText("Find the TCP of " + text(tool->name));
        m_help->setText("Bring the TCP to one fixed place in four or more orientations, turned well against each "
                        "other, and take each.");
        m_table->setColumnCount(2);
        m_table->setHorizontalHeaderLabels({"turned", "off [" + unit + "]"});
        m_table->setRowCount(0);
    }
    show();
    m_table->setFixedHeight(m_table->horizontalHeader()->sizeHint().height()
                            + 24 * (kind == Kind::Tcp ? 5 : m_table->rowCount()) + 2 * m_table->frameWidth());
    judge();
    Q_EMIT started();
}

std::optional<Vec3> TeachPanel::pointAt(int row) const
{
    Vec3 out;
    for (int i = 0; i < 3; ++i) {
        const QTableWidgetItem* item = m_table->item(row, i);
        const auto value = item ? quantityOf(item->text().toStdString(), Quantity::Length, m_unit->size) : std::nullopt;
        if (!value) return std::nullopt;
        out[i] = *value;
    }
    return out;
}

void TeachPanel::fillRow(int row, const Vec3& measured)
{
    const QSignalBlocker quiet(m_table);
    for (int i = 0; i < 3; ++i)
        m_table->setItem(row, i,
                         new QTableWidgetItem(QString::number(measured[i] / m_unit->size, 'f', m_unit->decimals)));
}

void TeachPanel::take()
{
    const Cell& cell = m_session.cell();
    const JointVector posture = m_session.shownPosture();
    if (m_kind == Kind::Tcp) {
        m_postures.push_back(forward(m_session.arm(), posture));
        const QSignalBlocker quiet(m_table);
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        auto* turned = new QTableWidgetItem(row ? degreeText(deviation(m_postures.front(), m_postures.back()).radians)
                                                : QString("first"));
        auto* off = new QTableWidgetItem;
        for (auto* item : {turned, off})
            item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        m_table->setItem(row, 0, turned);
        m_table->setItem(row, 1, off);
    } else {
        const Frame* frame = findFrame(cell, m_frame);
        if (!frame) return;
        // The first row that has nothing yet, else the current one.
        int row = std::max(0, m_table->currentRow());
        for (int r = m_table->rowCount() - 1; r >= 0; --r)
            if (!pointAt(r)) row = r;
        fillRow(row, (inverse(m_session.shownPlace(frame->parent)) * m_session.shownTcp()).translation);
    }
    judge();
}

void TeachPanel::judge()
{
    m_edit = {};
    QString words;
    bool bad = false;
    const auto withUnit = [](double metres) { return placeFigure(metres) + " " + lengthUnit().symbol; };
    if (m_kind == Kind::Tcp) {
        if (m_postures.size() < 4) {
            words = QString("%1 of at least 4 taken.").arg(m_postures.size());
        } else if (const Result<TcpFit> fit = fitTcp(m_postures); !fit) {
            words = text(fit.error().line());
            bad = true;
        } else {
            const Tool* tool = findTool(m_session.cell(), m_tool);
            Pose tcp = flangeFromTcp(*tool, m_tcp);
            tcp.translation = fit->flangeFromTcp;
            m_edit = [id = m_tool, tcp, point = m_tcp](const Cell& c) { return setToolTcp(c, id, tcp, point); };
            words = QString("TCP at %1. Residual %2 rms, worst %3 in posture %4.")
                        .arg(offsetText(translated(fit->flangeFromTcp), m_session.cell().angles), withUnit(fit->rms),
                             withUnit(fit->worst))
                        .arg(fit->worstPosture + 1);
            if (fit->poorSpread())
                words +=
                    QString(
                        " The orientations spread poorly: an error of touching counts %1 times. Tilt the tool more.")
                        .arg(fit->gain, 0, 'f', 1);
            bad = fit->poorSpread();
            const QSignalBlocker quiet(m_table);
            for (size_t i = 0; i < m_postures.size(); ++i)
                m_table->item(int(i), 1)->setText(
                    placeFigure((m_postures[i] * fit->flangeFromTcp - fit->place).norm()));
        }
    } else {
        std::vector<Vec3> nominal, measured;
        const int each = m_kind == Kind::AsBuilt ? 2 : 1;  // rows of a point
        for (int r = 0; r < m_table->rowCount(); r += each) {
            const auto drawn = pointAt(r), found = pointAt(r + each - 1);
            if (!found || !drawn) continue;
            measured.push_back(*found);
            nominal.push_back(*drawn);
        }
        if (measured.size() < 3) {
            words = QString("%1 of 3 points given.").arg(measured.size());
        } else if (m_kind == Kind::Frame) {
            const Result<Pose> pose = frameFromThreePoints(measured[0], measured[1], measured[2]);
            bad = !pose;
            words = pose ? offsetText(*pose, m_session.cell().angles) : text(pose.error().line());
            if (pose) m_edit = [id = m_frame, pose = *pose](const Cell& c) { return setFramePose(c, id, pose); };
        } else {
            const Result<PlaceFit> fit = fitPlace(nominal, measured);
            bad = !fit;
            if (fit) {
                const Frame* frame = findFrame(m_session.cell(), m_frame);
                const Pose built = fit->place * frame->pose;
                const PoseDeviation off = deviation(frame->pose, built);
                words =
                    QString("Off by %1 and %2. Residual %3 rms, worst %4 at point %5.")
                        .arg(withUnit(off.metres), degreeText(off.radians, 3), withUnit(fit->rms), withUnit(fit->worst))
                        .arg(fit->worstPoint + 1);
                m_edit = [id = m_frame, built](const Cell& c) -> Result<Cell> {
                    Result<Cell> next = setFrameMeasured(c, id, built);
                    return next ? setAsBuilt(*next, true) : next;
                };
            } else {
                words = text(fit.error().line());
            }
        }
    }
    m_result->setText(words);
    m_result->setStyleSheet(bad ? QString("color: %1;").arg(theme().blocked.name()) : QString());
    m_apply->setEnabled(bool(m_edit));
    m_take->setText(m_kind == Kind::Tcp ? "Take posture" : "Take TCP");
}

void TeachPanel::apply()
{
    if (!m_edit) return;
    const char* labels[] = {"Place frame by points", "Measure frame as built", "Find TCP by points"};
    if (m_session.edit(labels[int(m_kind)], m_edit)) hide();
}

}  // namespace topikos
