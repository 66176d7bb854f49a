#include "app/arms/sheet_model.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/spatial/number_text.h"
#include "core/spatial/units.h"

#include <QRegularExpression>

namespace topikos {

enum class ColumnKind { Length, Angle, Motion, Rate, Ramp, Jerk, Effort, Plain, Mass };

namespace {

constexpr size_t kMostStates = 200;

/// From what is shown to metres and radians.
double unitOf(ColumnKind quantity, JointKind kind)
{
    switch (quantity) {
    case ColumnKind::Length: return kMillimetre;
    case ColumnKind::Angle: return kDegree;
    case ColumnKind::Motion:
    case ColumnKind::Rate:
    case ColumnKind::Ramp:
    case ColumnKind::Jerk: return kind == JointKind::Revolute ? kDegree : kMillimetre;
    default: return 1;
    }
}

}  // namespace

struct SheetModel::Column {
    enum class Kind { Number, Name, JointKind, Reversed };
    Kind kind;
    QString heading, tip;
    ColumnKind quantity = ColumnKind::Plain;
    std::function<double&(DataSheet&, size_t)> value;
};

const std::vector<SheetModel::Column>& SheetModel::columns() const
{
    using Kind = Column::Kind;
    const auto number = [](const char* heading, const char* tip, ColumnKind quantity, auto member) {
        return Column{Kind::Number, heading, tip, quantity,
                      [member](DataSheet& s, size_t i) -> double& { return s.axes[i].*member; }};
    };
    const auto component = [](const char* heading, const char* tip, ColumnKind quantity, Vec3 SheetAxis::*member,
                              int k) {
        return Column{Kind::Number, heading, tip, quantity,
                      [member, k](DataSheet& s, size_t i) -> double& { return (s.axes[i].*member)[k]; }};
    };
    const auto build = [&](bool drawing) {
        std::vector<Column> all;
        all.push_back({Kind::Name, "Axis", "Name of the axis", {}, {}});
        all.push_back({Kind::JointKind, "Kind", "Turns or slides; type t or s", {}, {}});
        if (drawing) {
            all.push_back(component("X", "A point on the axis, from the base, as drawn [mm]", ColumnKind::Length,
                                    &SheetAxis::point, 0));
            all.push_back(component("Y", "A point on the axis, from the base, as drawn [mm]", ColumnKind::Length,
                                    &SheetAxis::point, 1));
            all.push_back(component("Z", "A point on the axis, from the base, as drawn [mm]", ColumnKind::Length,
                                    &SheetAxis::point, 2));
            all.push_back(component("dX", "Direction of the axis as drawn; positive turns follow the right hand",
                                    ColumnKind::Plain, &SheetAxis::direction, 0));
            all.push_back(component("dY", "Direction of the axis as drawn; positive turns follow the right hand",
                                    ColumnKind::Plain, &SheetAxis::direction, 1));
            all.push_back(component("dZ", "Direction of the axis as drawn; positive turns follow the right hand",
                                    ColumnKind::Plain, &SheetAxis::direction, 2));
        } else {
            all.push_back(number("a", "Length along x [mm]", ColumnKind::Length, &SheetAxis::a));
            all.push_back(number("α", "Twist about x [°]", ColumnKind::Angle, &SheetAxis::alpha));
            all.push_back(
                number("d", "Offset along z [mm]; of a sliding axis as drawn", ColumnKind::Length, &SheetAxis::d));
            all.push_back(number("θ", "Turn about z as drawn [°]", ColumnKind::Angle, &SheetAxis::theta));
        }
        all.push_back({Kind::Reversed, "Rev.", "Positive values go the other way round", {}, {}});
        all.push_back(number("From", "Lower range end [° or mm]", ColumnKind::Motion, &SheetAxis::lower));
        all.push_back(number("To", "Upper range end [° or mm]", ColumnKind::Motion, &SheetAxis::upper));
        all.push_back(number("Drawn",
                             "Value of this axis in the drawing's posture [° or mm]; moves the zero, not the links",
                             ColumnKind::Motion, &SheetAxis::drawn));
        all.push_back({Kind::Number, "Home", "Value of this axis at home [° or mm]", ColumnKind::Motion,
                       [](DataSheet& s, size_t i) -> double& { return s.home[Eigen::Index(i)]; }});
        all.push_back(number("Speed", "Largest speed [°/s or mm/s]", ColumnKind::Rate, &SheetAxis::speed));
        all.push_back(
            number("Accel.", "Largest acceleration [°/s² or mm/s²]", ColumnKind::Ramp, &SheetAxis::acceleration));
        all.push_back(number("Jerk", "Largest change of the acceleration [°/s³ or mm/s³]; 0 when it is not limited",
                             ColumnKind::Jerk, &SheetAxis::jerk));
        all.push_back(number("Effort", "Largest torque [N·m] or force [N]; 0 when unknown", ColumnKind::Effort,
                             &SheetAxis::effort));
        all.push_back(number("Mass", "Of the link that moves with the axis [kg]; 0 when unknown", ColumnKind::Mass,
                             &SheetAxis::mass));
        const char* const tip = drawing ? "Centre of mass of the link, from the base, as drawn [mm]"
                                        : "Centre of mass of the link in its own frame [mm]";
        all.push_back(component("cX", tip, ColumnKind::Length, &SheetAxis::centre, 0));
        all.push_back(component("cY", tip, ColumnKind::Length, &SheetAxis::centre, 1));
        all.push_back(component("cZ", tip, ColumnKind::Length, &SheetAxis::centre, 2));
        return all;
    };
    static const std::vector<Column> drawing = build(true), rows = build(false);
    return sheet().placement == DataSheet::Placement::Drawing ? drawing : rows;
}

SheetModel::SheetModel(DataSheet sheet, QObject* parent) : QAbstractTableModel(parent), m_states{std::move(sheet)} {}

void SheetModel::show()
{
    beginResetModel();
    endResetModel();
    Q_EMIT sheetChanged();
}

void SheetModel::open(DataSheet sheet)
{
    m_states = {std::move(sheet)};
    m_at = m_opened = 0;
    show();
}

void SheetModel::change(DataSheet sheet)
{
    const bool sameShape = sheet.axes.size() == this->sheet().axes.size() && sheet.placement == this->sheet().placement;
    m_states.resize(m_at + 1);
    m_states.push_back(std::move(sheet));
    if (m_states.size() > kMostStates) m_states.erase(m_states.begin());
    else ++m_at;
    if (m_opened > m_at) m_opened = SIZE_MAX;
    if (!sameShape) return show();
    Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
    Q_EMIT sheetChanged();
}

void SheetModel::undo()
{
    if (m_at == 0) return;
    --m_at;
    show();
}

void SheetModel::redo()
{
    if (m_at + 1 >= m_states.size()) return;
    ++m_at;
    show();
}

namespace {

/// The first axis of a sheet, with round numbers to be replaced.
SheetAxis usualAxis()
{
    SheetAxis axis;
    axis.point = {0, 0, 0.3};
    axis.lower = -180 * kDegree;
    axis.upper = 180 * kDegree;
    axis.speed = 180 * kDegree;
    axis.acceleration = 360 * kDegree;
    return axis;
}

}  // namespace

void SheetModel::addAxis(int after)
{
    DataSheet next = sheet();
    if (next.axes.size() >= size_t(kMaxJoints))
        return Q_EMIT refused(QString("An arm can have %1 axes at most.").arg(kMaxJoints));
    SheetAxis axis = usualAxis();
    const size_t at = size_t(after + 1);
    if (at > 0) {
        axis = next.axes[at - 1];
        axis.point[2] += 0.1;
        axis.mass = 0;
        axis.centre.setZero();
        axis.moments.setZero();
        axis.products.setZero();
    }
    axis.name = "joint_1";  // counted below
    next.axes.insert(next.axes.begin() + std::ptrdiff_t(at), axis);
    // Names that nobody chose count along the arm.
    static const QRegularExpression given("^joint_[0-9]+$");
    for (size_t i = 0; i < next.axes.size(); ++i)
        if (given.match(text(next.axes[i].name)).hasMatch()) next.axes[i].name = "joint_" + std::to_string(i + 1);
    JointVector home(next.home.size() + 1);
    for (Eigen::Index i = 0; i < home.size(); ++i)
        home[i] = i < Eigen::Index(at) ? next.home[i] : i == Eigen::Index(at) ? 0 : next.home[i - 1];
    next.home = home;
    change(std::move(next));
}

void SheetModel::removeAxis(int row)
{
    DataSheet next = sheet();
    if (row < 0 || row >= int(next.axes.size())) return;
    next.axes.erase(next.axes.begin() + row);
    JointVector home(next.home.size() - 1);
    for (Eigen::Index i = 0; i < home.size(); ++i)
        home[i] = next.home[i < row ? i : i + 1];
    next.home = home;
    change(std::move(next));
}

int SheetModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(sheet().axes.size()); }
int SheetModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(columns().size()); }

int SheetModel::columnOf(const QString& heading) const
{
    for (size_t i = 0; i < columns().size(); ++i)
        if (columns()[i].heading == heading) return int(i);
    return -1;
}

QVariant SheetModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation == Qt::Vertical) return role == Qt::DisplayRole ? QVariant(section + 1) : QVariant();
    if (role == Qt::DisplayRole) return columns()[size_t(section)].heading;
    if (role == Qt::ToolTipRole) return columns()[size_t(section)].tip;
    return {};
}

Qt::ItemFlags SheetModel::flags(const QModelIndex& index) const
{
    const bool check = columns()[size_t(index.column())].kind == Column::Kind::Reversed;
    return Qt::ItemIsEnabled | Qt::ItemIsSelectable | (check ? Qt::ItemIsUserCheckable : Qt::ItemIsEditable);
}

QVariant SheetModel::data(const QModelIndex& index, int role) const
{
    const Column& column = columns()[size_t(index.column())];
    const SheetAxis& axis = sheet().axes[size_t(index.row())];
    if (role == Qt::ToolTipRole) return column.tip;
    if (role == Qt::CheckStateRole && column.kind == Column::Kind::Reversed)
        return axis.reversed ? Qt::Checked : Qt::Unchecked;
    if (role == Qt::TextAlignmentRole && column.kind == Column::Kind::Number)
        return int(Qt::AlignRight | Qt::AlignVCenter);
    if (role == Qt::FontRole && column.kind == Column::Kind::Number) return figureFont(12);
    if (role != Qt::DisplayRole && role != Qt::EditRole) return {};
    switch (column.kind) {
    case Column::Kind::Name: return text(axis.name);
    case Column::Kind::JointKind: return axis.kind == JointKind::Revolute ? "turns" : "slides";
    case Column::Kind::Reversed: return {};
    case Column::Kind::Number: break;
    }
    DataSheet copy = sheet();
    const double value = column.value(copy, size_t(index.row())) / unitOf(column.quantity, axis.kind);
    // As many digits as it takes to tell it from its neighbours at a hundredth of what is usual on paper.
    QString shown = QString::number(value, 'f',
                                    role == Qt::EditRole                   ? 9
                                    : column.quantity == ColumnKind::Plain ? 4
                                                                           : 2);
    while (shown.contains('.') && (shown.endsWith('0') || shown.endsWith('.'))) {
        const bool point = shown.endsWith('.');
        shown.chop(1);
        if (point) break;
    }
    return shown == "-0" ? "0" : shown;
}

bool SheetModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    const Column& column = columns()[size_t(index.column())];
    DataSheet next = sheet();
    SheetAxis& axis = next.axes[size_t(index.row())];
    if (column.kind == Column::Kind::Reversed) {
        if (role != Qt::CheckStateRole) return false;
        axis.reversed = value.toInt() == Qt::Checked;
        change(std::move(next));
        return true;
    }
    if (role != Qt::EditRole) return false;
    const QString typed = value.toString().trimmed();
    if (typed == data(index, Qt::EditRole).toString()) return false;
    if (column.kind == Column::Kind::Name) {
        if (typed.isEmpty()) return Q_EMIT refused("An axis needs a name."), false;
        axis.name = typed.toStdString();
    } else if (column.kind == Column::Kind::JointKind) {
        const QChar first = typed.isEmpty() ? QChar() : typed.at(0).toLower();
        if (first != 't' && first != 's') return Q_EMIT refused("An axis turns or slides: type t or s."), false;
        axis.kind = first == 't' ? JointKind::Revolute : JointKind::Prismatic;
    } else {
        const auto number = numberOf(typed.toStdString());
        if (!number)
            return Q_EMIT refused(
                       QString("“%1” is not a number. Sums like 1200-45/2 are possible.").arg(typed.left(40))),
                   false;
        column.value(next, size_t(index.row())) = *number * unitOf(column.quantity, axis.kind);
    }
    change(std::move(next));
    return true;
}

}  // namespace topikos
