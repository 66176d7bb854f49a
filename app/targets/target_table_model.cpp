#include "app/targets/target_table_model.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/edit_support.h"
#include "core/cell/edit_targets.h"
#include "core/files/table_text.h"
#include "core/spatial/number_text.h"
#include "core/spatial/text.h"

#include <algorithm>

namespace topikos {

namespace {

using Model = TargetTableModel;

bool isPlace(int column) { return column >= Model::X && column <= Model::Z; }
bool isAngle(int column) { return column >= Model::A && column <= Model::C; }
bool isWay(int column) { return column == Model::Approach || column == Model::Retract; }

/// What a column is called in a table that is read.
std::string csvName(int column)
{
    static const char* const names[] = {"name", "frame", "x",        "y",       "z",     "rx",   "ry",
                                        "rz",   "way",   "approach", "retract", "group", "note", "verdict"};
    std::string out = names[column];
    if (isPlace(column) || isWay(column)) out += std::string(" [") + lengthUnit().symbol + "]";
    if (isAngle(column)) out += angleUnit().size == 1 ? " [rad]" : " [deg]";
    return out;
}

/// For a table with tabs: in quotation marks where it has to be.
QString tabText(QString words)
{
    if (!words.contains('\t') && !words.contains('\n') && !words.startsWith('"')) return words;
    return '"' + words.replace('"', "\"\"") + '"';
}

}  // namespace

TargetTableModel::TargetTableModel(Session& session, QObject* parent) : QAbstractTableModel(parent), m_session(session)
{
    connect(&session, &Session::cellChanged, this, &TargetTableModel::fill);
    connect(&session, &Session::checkedChanged, this, [this] {
        if (!m_rows.empty()) Q_EMIT dataChanged(index(0, Name), index(rowCount() - 1, Verdict));
    });
    fill();
}

void TargetTableModel::fill()
{
    std::vector<TargetId> rows;
    const auto fits = [&](const Target& t) {
        for (const int column : {Name, In, Group, Note})
            if (shown(t, column).contains(m_words, Qt::CaseInsensitive)) return true;
        return false;
    };
    for (const Target& t : m_session.cell().targets)
        if (t.arm == m_session.station().id && (m_words.isEmpty() || fits(t))) rows.push_back(t.id);
    if (rows == m_rows) {
        // An edit of values leaves what is chosen, and where the keys are, alone.
        if (!rows.empty()) Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, kColumns - 1));
        Q_EMIT headerDataChanged(Qt::Horizontal, 0, kColumns - 1);
        return;
    }
    beginResetModel();
    m_rows = std::move(rows);
    endResetModel();
}

void TargetTableModel::filter(const QString& words)
{
    m_words = words.trimmed();
    fill();
}

int TargetTableModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(m_rows.size()); }
int TargetTableModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : kColumns; }

TargetId TargetTableModel::targetAt(int row) const
{
    return row >= 0 && row < rowCount() ? m_rows[size_t(row)] : TargetId();
}

int TargetTableModel::rowOf(TargetId id) const
{
    const auto found = std::find(m_rows.begin(), m_rows.end(), id);
    return found == m_rows.end() ? -1 : int(found - m_rows.begin());
}

QString TargetTableModel::shown(const Target& target, int column) const
{
    const Cell& cell = m_session.cell();
    switch (column) {
    case Name: return text(target.name);
    case Group: return text(target.group);
    case Note: return text(target.note);
    case Verdict: {
        const CheckedCell* checked = m_session.checked();
        if (!m_session.isJudged(target.id)) return "being checked";
        const auto worst = m_session.worst().find(target.id);
        if (worst == m_session.worst().end()) return target.kind == Target::Kind::Pose ? "reached" : "in range";
        return text(findingText(*checked->cell, *worst->second).headline);
    }
    default: break;
    }
    if (target.kind == Target::Kind::Posture) return column == In ? "a posture" : QString();
    if (column == In) return text(frameName(cell, target.frame));
    if (isPlace(column)) return placeFigure(target.pose.translation[column - X]);
    if (isAngle(column)) return turnFigure(anglesOf(cell.angles, target.pose.rotation.matrix())[column - A]);
    if (isWay(column)) return placeFigure((column == Approach ? target.approach : target.retract).far);
    const Configuration& way = target.configuration;
    return QString("%1 %2 %3")
        .arg(way.shoulderBack ? "back" : "front", way.elbowDown ? "down" : "up", way.wristTurned ? "turned" : "plain");
}

bool TargetTableModel::editable(const Target& target, int column) const
{
    if (column == Verdict || column == Way) return false;
    if (column == Note) return true;
    // A pattern says the rest of its places.
    if (target.pattern) return false;
    return target.kind == Target::Kind::Pose || column == Name || column == Group;
}

QVariant TargetTableModel::data(const QModelIndex& index, int role) const
{
    const Target* target = findTarget(m_session.cell(), targetAt(index.row()));
    if (!target) return {};
    const int column = index.column();
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole: return shown(*target, column);
    case Qt::TextAlignmentRole:
        return int(Qt::AlignVCenter
                   | (isPlace(column) || isAngle(column) || isWay(column) ? Qt::AlignRight : Qt::AlignLeft));
    case Qt::FontRole:
        return isPlace(column) || isAngle(column) || isWay(column) ? QVariant(figureFont(11)) : QVariant();
    case Qt::ForegroundRole: return editable(*target, column) ? QVariant() : QVariant(theme().faint);
    case Qt::DecorationRole:
        if (column == Verdict)
            if (const auto worst = m_session.worst().find(target->id); worst != m_session.worst().end())
                return severityIcon(worst->second->severity);
        return {};
    case Qt::ToolTipRole:
        if (column == Verdict || column == Note) return shown(*target, column);
        if (target->pattern && !editable(*target, column))
            return QString("A place of %1: change the pattern")
                .arg(text(findPattern(m_session.cell(), target->pattern)->name));
        return {};
    default: return {};
    }
}

QVariant TargetTableModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation == Qt::Vertical) return role == Qt::DisplayRole ? QVariant(section + 1) : QVariant();
    if (role == Qt::TextAlignmentRole) return int(Qt::AlignVCenter | Qt::AlignLeft);
    if (role != Qt::DisplayRole) return {};
    static const char* const names[] = {"Name", "In",  "X",        "Y",       "Z",     "",     "",
                                        "",     "Way", "Approach", "Retract", "Group", "Note", "Verdict"};
    QString out = names[section];
    if (isAngle(section)) out = angleNames(m_session.cell().angles)[size_t(section - A)];
    if (isPlace(section) || isWay(section)) out += QString(" ") + lengthUnit().symbol;
    if (isAngle(section)) out += QString(" ") + angleUnit().symbol;
    return out;
}

Qt::ItemFlags TargetTableModel::flags(const QModelIndex& index) const
{
    const Target* target = findTarget(m_session.cell(), targetAt(index.row()));
    Qt::ItemFlags out = Qt::ItemIsSelectable | Qt::ItemIsEnabled;
    if (target && editable(*target, index.column())) out |= Qt::ItemIsEditable;
    return out;
}

bool TargetTableModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    const Target* found = findTarget(m_session.cell(), targetAt(index.row()));
    const int column = index.column();
    const QString typed = value.toString().trimmed();
    if (role != Qt::EditRole || !found || !editable(*found, column) || typed == shown(*found, column)) return false;
    const Target target = *found;
    const TargetId id = target.id;
    const std::string words = typed.toStdString();
    const auto change = [&](auto edit) { return m_session.edit("Change " + text(target.name), edit); };
    if (column == Name) return change([&](const Cell& c) { return renameTarget(c, id, words); });
    if (column == Group) return change([&](const Cell& c) { return setTargetGroup(c, {id}, words); });
    if (column == Note) return change([&](const Cell& c) { return setTargetNote(c, id, words); });
    if (column == In) {
        const Frame* frame = findNamed(m_session.cell().frames, words);
        if (!frame && lowered(words) != "world") {
            m_session.say(QString("There is no frame called \"%1\".").arg(typed), true);
            return false;
        }
        return change([&](const Cell& c) { return setTargetFrame(c, {id}, frame ? frame->id : FrameId()); });
    }
    const bool angle = isAngle(column);
    const auto number =
        quantityOf(words, angle ? Quantity::Angle : Quantity::Length, angle ? angleUnit().size : lengthUnit().size);
    if (!number) {
        m_session.say(QString("\"%1\" is not %2.").arg(typed, angle ? "an angle" : "a length"), true);
        return false;
    }
    if (isWay(column)) {
        topikos::Approach way = column == Approach ? target.approach : target.retract;
        way.far = *number;
        way.near = std::min(way.near, way.far);
        return change([&](const Cell& c) { return setApproach(c, {id}, column == Retract, way); });
    }
    Pose pose = target.pose;
    if (angle) {
        Vec3 angles = anglesOf(m_session.cell().angles, pose.rotation.matrix());
        angles[column - A] = *number;
        pose.rotation = rotationFrom(m_session.cell().angles, angles);
    } else {
        pose.translation[column - X] = *number;
    }
    return change([&](const Cell& c) { return setTargetPose(c, id, pose); });
}

QString TargetTableModel::tableOf(const std::vector<int>& rows) const
{
    QStringList lines, names;
    for (int column = 0; column < Verdict; ++column)
        names << text(csvName(column));
    lines << names.join('\t');
    for (const int row : rows) {
        const Target* target = findTarget(m_session.cell(), targetAt(row));
        if (!target) continue;
        QStringList cells;
        for (int column = 0; column < Verdict; ++column)
            cells << (column == In && target->kind == Target::Kind::Posture ? QString()
                                                                            : tabText(shown(*target, column)));
        lines << cells.join('\t');
    }
    return lines.join('\n') + '\n';
}

Result<TargetTableModel::Pasted> TargetTableModel::pasted(const QString& words, int row, int column) const
{
    QStringList lines = QString(words).remove('\r').split('\n');
    while (!lines.isEmpty() && lines.back().trimmed().isEmpty())
        lines.removeLast();
    const auto fail = [](const QString& what, const char* remedy) {
        return Error{"targets.paste", what.toStdString(), "", remedy};
    };
    if (lines.isEmpty()) return fail("there is no text to paste", "Copy rows in a spreadsheet first.");
    const QString whole = lines.join('\n') + '\n';
    const Result<TableText> table = splitTable(whole.toStdString());
    const auto isName = [](const std::string& cell) { return nameAndUnit(cell).first == "name"; };
    if (table && table->named && std::any_of(table->names.begin(), table->names.end(), isName))
        return Pasted{whole.toStdString(), true};
    const QChar separator = lines.front().contains('\t') || !lines.front().contains(';') ? '\t' : ';';
    int columns = 1;
    bool quoted = false;
    for (const QChar c : lines.front()) {
        if (c == '"') quoted = !quoted;
        columns += !quoted && c == separator;
    }
    if (column + columns > kColumns)
        return fail(QString("%1 columns do not fit from \"%2\" on, where there are %3")
                        .arg(columns)
                        .arg(headerData(column, Qt::Horizontal, Qt::DisplayRole).toString())
                        .arg(kColumns - column),
                    "Begin further to the left.");
    if (column > Name && row + lines.size() > rowCount())
        return fail(QString("%1 rows do not fit from row %2 on, where there are %3")
                        .arg(lines.size())
                        .arg(row + 1)
                        .arg(rowCount() - row),
                    "Begin further up, or paste the names too: then those that are missing are made.");
    QStringList names;
    if (column > Name) names << text(csvName(Name));
    for (int i = column; i < column + columns; ++i)
        names << text(csvName(i));
    QString out = names.join(separator) + '\n';
    for (int i = 0; i < lines.size(); ++i) {
        if (column > Name) {
            QString name = text(findTarget(m_session.cell(), targetAt(row + i))->name);
            out += '"' + name.replace('"', "\"\"") + '"' + separator;
        }
        out += lines[i] + '\n';
    }
    return Pasted{out.toStdString(), false};
}

}  // namespace topikos
