#include "core/motion/law_maker.h"

#include "core/motion/in_step.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr int kFewestCells = 24;      // of a path
constexpr int kCornerCells = 16;      // even: the middle of a corner is where steps meet
constexpr double kSteady = 0.95;      // of an acceleration that must be left beside what a bend takes
constexpr double kTurnsRound = 0.05;  // change of joint rates along a piece of a way that asks for another cell
constexpr double kSlowest = 1e-12;    // of the tool's s'^2, below which no limit takes a law
constexpr double kStill = 1e-9;       // ratio under a limit at which it does not count
constexpr int kEntryTries = 14;       // for the best entry into a cell; any of them keeps all limits
constexpr double kIdle = 0.5;         // of a limit: what can never take more of it is not looked at
constexpr double kCoarse = 0.97;      // of x that a cell gives up since it is long, from which it is halved
constexpr double kLowerMore = 1.005;
constexpr int kCellHalvings = 5;        // of a cell
constexpr int kMostRounds = 40;         // of lowering cells in which a limit is passed between the places looked at
constexpr double kNotExact = 1 + 1e-9;  // what comes out of two sums may differ by so much
constexpr double kPassed = 0.2 * kAboveLimit;

/// Where a function that rises from 0 to 1 comes to a value.
template <class Function> double solved(Function function, double value)
{
    double low = 0, high = 1;
    for (int i = 0; i < 40; ++i) {
        const double middle = 0.5 * (low + high);
        (function(middle) < value ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

}  // namespace

std::vector<double> scalesOf(const std::vector<TimedPiece>& pieces)
{
    std::vector<double> out;
    double scale = 1;
    for (const TimedPiece& piece : pieces) {
        scale /= piece.stretch;
        out.push_back(scale);
    }
    return out;
}

LawMaker::LawMaker(const Arm& arm, std::vector<TimedPiece> pieces) :
    m_arm(arm), m_pieces(std::move(pieces)), m_scales(scalesOf(m_pieces))
{
}

TimeLaw LawMaker::make(double startSpeed)
{
    for (size_t k = 0; k < m_pieces.size(); ++k)
        addCells(k);
    solve(startSpeed);
    return write();
}

TimeLaw LawMaker::again(double startSpeed)
{
    pass(startSpeed * m_scales.front(), true);
    return write();
}

void LawMaker::divide(int parts)
{
    std::vector<Cell> cells;
    for (Cell& cell : m_cells) {
        cell.whole = cell.lowered;
        const int count = cell.constant ? parts : 1;
        for (int k = 0; k < count; ++k) {
            Cell part = cell;
            part.from = cell.from + (cell.to - cell.from) * k / count;
            part.to = k + 1 == count ? cell.to : cell.from + (cell.to - cell.from) * (k + 1) / count;
            part.length = cell.length / count;
            cells.push_back(part);
        }
    }
    m_cells = std::move(cells);
}

void LawMaker::change(size_t i, double factor)
{
    Cell& cell = m_cells[i];
    cell.lowered = std::min(cell.lowered * factor, cell.whole);
}

void LawMaker::solve(double startSpeed)
{
    for (int round = 0;; ++round) {
        pass(startSpeed * m_scales.front());
        if (round == kMostRounds || !lowerPassed()) break;
    }
}

double LawMaker::timeIn(size_t i) const
{
    const Cell& cell = m_cells[i];
    const double v = std::sqrt(m_x[i]), w = std::sqrt(m_x[i + 1]), top = std::sqrt(cell.lowered * cell.caps[0].x),
                 most = cell.lowered * cell.most;
    if (!cell.constant || isTooFast(i)) return v + w > 0 ? 2 * cell.length / (v + w) : 0;
    const double peak =
        std::isfinite(most) ? std::min(top, std::sqrt(most * cell.length + 0.5 * (v * v + w * w))) : top;
    const double up = std::max(0.0, (peak - v) / most), down = std::max(0.0, (peak - w) / most);
    const double rest = cell.length - 0.5 * up * (v + peak) - 0.5 * down * (peak + w);
    return up + down + (rest > 0 && peak > 0 ? rest / peak : 0);
}

bool LawMaker::isTooFast(size_t i) const
{
    return std::max(m_x[i], m_x[i + 1]) > kNotExact * m_cells[i].lowered * m_cells[i].caps[0].x;
}

LawMaker::CellRow::CellRow(const Row& row) :
    Row(row), ofX(std::abs(rate) < kNoWay), slope(-bend / rate), half(limit / std::abs(rate))
{
}

PlaceBounds LawMaker::boundsIn(size_t k, double fraction, bool joints) const
{
    PlaceBounds b;
    boundsIn(k, fraction, joints, b);
    return b;
}

void LawMaker::boundsIn(size_t k, double fraction, bool joints, PlaceBounds& b) const
{
    boundsAt(m_arm, *m_pieces[k].move, fraction, joints, b);
    const double scale = m_scales[k];
    b.cap *= scale * scale;
    for (Row& row : b.rows) {
        row.rate /= scale;
        row.bend /= scale * scale;
    }
}

std::vector<double> LawMaker::marksOf(const TimedPiece& piece) const
{
    const Move& move = *piece.move;
    std::vector<double> marks{piece.from, piece.to};
    const auto even = [&](int cells) {
        for (int i = 1; i < cells; ++i)
            marks.push_back(double(i) / cells);
    };
    const JointWay* way = move.way();
    if (move.cut()) even(kCornerCells);
    else if (move.isLine() && 2 * way->size() < kFewestCells) even(kFewestCells);
    for (size_t i = 0; way && i + 1 < way->size(); ++i) {
        // More where joints change their minds within a piece of the way.
        const JointVector a = way->knot(i).rate, b = way->knot(i + 1).rate;
        const double most = std::max(a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff());
        const double change = most > 0 ? (b - a).cwiseAbs().maxCoeff() / most : 0;
        const int parts = std::clamp(2 + int(change / kTurnsRound), 2, 16);
        for (int k = 0; k < parts; ++k)
            marks.push_back(way->fraction(i) + k * (way->fraction(i + 1) - way->fraction(i)) / parts);
    }
    if (const CornerSegment* corner = move.as<CornerSegment>()) {
        // Where the ways of its two moves have their knots.
        const CornerCut& cut = *corner->cut;
        const JointWay *first = cut.first->way(), *second = cut.second->way();
        for (size_t i = 0; first && i < first->size(); ++i)
            if (const double left = 1 - first->fraction(i); left > 0 && left < cut.before)
                marks.push_back(solved([&](double u) { return cut.before - cut.left(u); }, cut.before - left));
        for (size_t i = 0; second && i < second->size(); ++i)
            if (const double done = second->fraction(i); done > 0 && done < cut.after)
                marks.push_back(solved([&](double u) { return cut.done(u); }, done));
    }
    std::sort(marks.begin(), marks.end());
    std::vector<double> out;
    for (const double mark : marks)
        if (mark >= piece.from && mark <= piece.to && (out.empty() || mark - out.back() > 1e-9)) out.push_back(mark);
    if (out.size() < 2) return {};
    out.back() = piece.to;
    return out;
}

void LawMaker::addCells(size_t k)
{
    const Move& move = *m_pieces[k].move;
    const std::vector<double> marks = marksOf(m_pieces[k]);
    if (marks.empty()) return;
    const bool corner = move.cut() != nullptr;
    // What is the same all along: everything of a joint move, what the tool allows of a line.
    const bool joint = !move.isLine();
    const PlaceBounds same = steady(boundsIn(k, marks[0], joint));
    const bool bent =
        corner || std::any_of(same.rows.begin(), same.rows.end(), [](const Row& row) { return row.bend != 0; });
    Cell whole;
    makeConstant(whole, same);
    const double scale = m_scales[k], cap = whole.caps[0].x / (scale * scale), most = whole.most / scale;
    bool inside = !bent && (joint || jointsAllow(move, marks[0], cap, most));
    std::optional<PlaceBounds> before;
    for (size_t i = 0; i + 1 < marks.size(); ++i) {
        Cell cell = whole;
        cell.piece = k;
        cell.from = marks[i];
        cell.to = marks[i + 1];
        cell.length = (cell.to - cell.from) * scale;
        const double middle = 0.5 * (cell.from + cell.to);
        const bool begins = inside;
        inside = !bent && (joint || jointsAllow(move, cell.to, cap, most));
        if (begins && inside && (joint || jointsAllow(move, middle, cap, most))) {
            before.reset();
            Cell* last = m_cells.empty() ? nullptr : &m_cells.back();
            if (last && last->piece == k && last->constant) {
                last->to = cell.to;
                last->length += cell.length;
                continue;
            }
        } else {
            cell.constant = false;
            if (!before) before = boundsIn(k, cell.from, true);
            const PlaceBounds between = boundsIn(k, middle, true), after = boundsIn(k, cell.to, true);
            addRows(cell, {&*before, &between, &after});
            before = after;
        }
        m_cells.push_back(cell);
    }
}

bool LawMaker::jointsAllow(const Move& move, double fraction, double cap, double most) const
{
    const auto [rate, bend] = move.flow(fraction);
    for (int i = 0; i < m_arm.jointCount(); ++i) {
        const Joint& j = m_arm.joints()[size_t(i)];
        const double r = std::abs(rate[i]), b = std::abs(bend[i]), speed = jointSpeedLimit(j, move.limits);
        if (r < kNoWay && b < kNoWay) continue;
        if (!(r * r * cap <= speed * speed)) return false;
        if (!(r * most + b * cap <= move.limits.jointAcceleration * j.acceleration * (1 + kStill))) return false;
    }
    return true;
}

PlaceBounds LawMaker::steady(const PlaceBounds& b)
{
    PlaceBounds out = b;
    for (Row& row : out.rows) {
        const double left = row.limit - std::abs(row.bend) * b.cap;
        if (row.bend == 0) continue;
        // Rows that have little to do with s'' are kept by the others.
        double most = INFINITY;
        for (const Row& own : b.rows)
            if (own.by == row.by && own.rate != 0) most = std::min(most, own.limit / std::abs(own.rate));
        if (!(left >= kSteady * most * std::abs(row.rate))) return b;
        row.bend = 0;
        row.limit = left;
    }
    return out;
}

void LawMaker::makeConstant(Cell& cell, const PlaceBounds& constant)
{
    cell.constant = true;
    cell.caps.fill({constant.cap, constant.capBy});
    for (const Row& row : constant.rows) {
        if (row.rate == 0 || row.limit / std::abs(row.rate) >= cell.most) continue;
        cell.most = row.limit / std::abs(row.rate);
        cell.mostBy = row.by;
    }
}

void LawMaker::addRows(Cell& cell, std::array<const PlaceBounds*, 3> places)
{
    cell.firstRow = m_rows.size();
    const PlaceBounds& first = *places[0];
    cell.floor = kSlowest * (std::isfinite(first.cap) ? first.cap : 1);
    double highest = 0;
    for (size_t p = 0; p < 3; ++p) {
        cell.caps[p] = {std::max(places[p]->cap, cell.floor), places[p]->capBy};
        highest = std::max(highest, cell.caps[p].x);
    }
    // What s'' can be at all, so that rows which can never matter are left out.
    double most = INFINITY;
    for (const PlaceBounds* b : places)
        for (const Row& row : b->rows) {
            if (std::abs(row.rate) > kNoWay)
                most = std::min(most, (row.limit + std::abs(row.bend) * highest) / std::abs(row.rate));
        }
    for (size_t p = 0; p < 3; ++p) {
        const double gone = double(p) * cell.length;  // x is that much more of 1 s'' than at the beginning
        for (size_t i = 0; i < places[p]->rows.size(); ++i) {
            Row row = places[p]->rows[i];
            if (std::abs(row.rate) * most + std::abs(row.bend) * highest <= kIdle * row.limit) continue;
            if (p > 0 && i < first.rows.size() && row.bend == 0 && row.rate == first.rows[i].rate
                && first.rows[i].bend == 0)
                continue;
            row.rate += gone * row.bend;
            m_rows.emplace_back(row);
        }
    }
    cell.rowCount = m_rows.size() - cell.firstRow;
}

LawMaker::Room LawMaker::roomAt(const Cell& cell, double x) const
{
    Room room;
    // Not below rest.
    room.low = {0, -0.5 / cell.length, {}};
    room.high = {cell.lowered * cell.caps[1].x / cell.length, -1 / cell.length, cell.caps[1].by};
    for (size_t i = cell.firstRow; i < cell.firstRow + cell.rowCount; ++i) {
        const CellRow& row = m_rows[i];
        if (row.ofX) continue;  // see highest()
        const double slope = row.slope,
                     half = cell.lowered == 1 ? row.half : row.limit * cell.lowered / std::abs(row.rate);
        if (half + slope * x < room.high.at(x)) room.high = {half, slope, row.by};
        if (-half + slope * x > room.low.at(x)) room.low = {-half, slope, row.by};
    }
    return room;
}

double LawMaker::highest(Cell& cell, double next, HeldBy& by) const
{
    by = cell.caps[0].by;
    double x = cell.caps[0].x * cell.lowered;
    if (cell.constant) {
        const double most = next + 2 * cell.lowered * cell.most * cell.length;
        if (most < x) {
            x = most;
            by = cell.mostBy;
        }
        return x;
    }
    const double h = 2 * cell.length;
    for (size_t i = cell.firstRow; i < cell.firstRow + cell.rowCount; ++i) {
        const CellRow& row = m_rows[i];
        const double limit = row.limit * cell.lowered;
        if (row.ofX) {
            if (std::abs(row.bend) * x > limit) {
                x = limit / std::abs(row.bend);
                by = row.by;
            }
            continue;
        }
        // x + h s'' <= next with the lowest s'' that the row allows
        const double slope = 1 - h * row.bend / row.rate;
        const double most = next + h * limit / std::abs(row.rate);
        if (slope > 0 && most < slope * x) {
            x = most / slope;
            by = row.by;
        }
    }
    if (!std::isfinite(x)) x = 2 * next + 1e12;  // nothing limits it here
    // Limits of both sides must leave room between them.
    for (int i = 0; i < 30; ++i) {
        const Room room = roomAt(cell, x);
        if (room.low.at(x) <= room.high.at(x) + 1e-12 * (1 + std::abs(room.high.at(x)))) break;
        const double slope = room.low.slope - room.high.slope;
        if (!(slope > 0)) break;
        const double meet = (room.high.value - room.low.value) / slope;
        if (!(meet < x)) break;
        x = std::max(0.0, meet);
        by = room.high.by.kind != HeldBy::Kind::Nothing ? room.high.by : room.low.by;
    }
    const double tamed = notTooFast(cell, x, next);
    if (tamed < x) by = roomAt(cell, x).high.by;
    cell.coarse = tamed < kCoarse * x;
    return tamed;
}

double LawMaker::notTooFast(const Cell& cell, double most, double next) const
{
    const double h = 2 * cell.length;
    const auto end = [&](double x) { return x + h * roomAt(cell, x).high.at(x); };
    if (roomAt(cell, most).high.slope * h >= -1 || end(most) >= next) return most;
    // What comes out is concave in x.
    double low = 0, high = most;
    for (int i = 0; i < kEntryTries; ++i) {
        const double a = low + 0.382 * (high - low), b = low + 0.618 * (high - low);
        const bool rises = end(a) < end(b);
        (rises ? low : high) = rises ? a : b;
    }
    const double best = 0.5 * (low + high);
    if (end(best) <= next) return best;
    low = best;
    high = most;
    for (int i = 0; i < kEntryTries; ++i) {
        const double middle = 0.5 * (low + high);
        (end(middle) >= next ? low : high) = middle;
    }
    return low;
}

void LawMaker::pass(double startSpeed, bool keepStart)
{
    const size_t n = m_cells.size();
    m_highest.assign(n + 1, 0);
    m_highestBy.assign(n + 1, HeldBy{});
    for (size_t i = n; i-- > 0;) {
        m_highest[i] = highest(m_cells[i], m_highest[i + 1], m_highestBy[i]);
        if (i > 0 && m_cells[i - 1].caps[2].x * m_cells[i - 1].lowered < m_highest[i]) {
            m_highest[i] = m_cells[i - 1].caps[2].x * m_cells[i - 1].lowered;
            m_highestBy[i] = m_cells[i - 1].caps[2].by;
        }
    }
    m_x.assign(n + 1, 0);
    m_by.assign(n, HeldBy{});
    m_x[0] = keepStart ? startSpeed * startSpeed : std::min(startSpeed * startSpeed, m_highest[0]);
    for (size_t i = 0; i < n; ++i) {
        const Cell& cell = m_cells[i];
        if (cell.constant) {
            const double most = m_x[i] + 2 * cell.lowered * cell.most * cell.length;
            m_x[i + 1] = std::min(most, m_highest[i + 1]);
            if (keepStart) m_x[i + 1] = std::max(m_x[i + 1], m_x[i] - 2 * cell.lowered * cell.most * cell.length);
            continue;
        }
        const Room room = roomAt(cell, m_x[i]);
        double a = (m_highest[i + 1] - m_x[i]) / (2 * cell.length);
        m_by[i] = m_highestBy[i + 1];
        if (room.high.at(m_x[i]) < a) {
            a = room.high.at(m_x[i]);
            m_by[i] = room.high.by;
        } else if (a < 0) {
            m_by[i] = m_highestBy[i];
        }
        if (keepStart) a = std::max(a, std::min(room.low.at(m_x[i]), room.high.at(m_x[i])));
        m_x[i + 1] = std::max(0.0, m_x[i] + 2 * a * cell.length);
    }
}

bool LawMaker::lowerPassed()
{
    bool any = false;
    PlaceBounds b;
    std::vector<Cell> cells;
    cells.reserve(m_cells.size());
    for (size_t i = 0; i < m_cells.size(); ++i) {
        cells.push_back(m_cells[i]);
        Cell& cell = cells.back();
        if (cell.constant || (cell.lookedFrom == m_x[i] && cell.lookedTo == m_x[i + 1])) continue;
        const double a = (m_x[i + 1] - m_x[i]) / (2 * cell.length);
        double worst = 0;
        // Arms with more than six free joints turn round sharply where one of them comes to its range end.
        const int looks = m_arm.freeJoints().size() > 6 ? 12 : 4;
        for (int k = 0; k < looks; ++k) {
            const double part = (k + 0.5) / looks;
            const double x = m_x[i] + part * (m_x[i + 1] - m_x[i]);
            boundsIn(cell.piece, cell.from + part * (cell.to - cell.from), true, b);
            if (b.cap > cell.floor) worst = std::max(worst, x / b.cap);
            for (const Row& row : b.rows)
                worst = std::max(worst, std::abs(row.rate * a + row.bend * x) / row.limit);
        }
        const bool passed = worst > 1 + kPassed;
        if (!passed && !(cell.coarse && cell.halvings < kCellHalvings)) {
            cell.lookedFrom = m_x[i];
            cell.lookedTo = m_x[i + 1];
            continue;
        }
        any = true;
        if (cell.halvings == kCellHalvings) {
            cell.lowered /= std::min(kLowerMore * worst, 4.0);
            continue;
        }
        const double middle = 0.5 * (cell.from + cell.to);
        const PlaceBounds centre = boundsIn(cell.piece, middle, true);
        const Cell whole = cell;
        for (const auto& [from, to] : {std::pair(whole.from, middle), std::pair(middle, whole.to)}) {
            Cell half{whole.piece, from, to};
            half.length = (to - from) * m_scales[whole.piece];
            half.halvings = whole.halvings + 1;
            const PlaceBounds side = boundsIn(whole.piece, from < middle ? from : to, true);
            const PlaceBounds between = boundsIn(whole.piece, 0.5 * (from + to), true);
            if (from < middle) addRows(half, {&side, &between, &centre});
            else addRows(half, {&centre, &between, &side});
            if (from < middle) cells.back() = half;
            else cells.push_back(half);
        }
    }
    m_cells = std::move(cells);
    return any;
}

TimeLaw LawMaker::write() const
{
    TimeLaw law;
    size_t i = 0;
    for (size_t k = 0; k < m_pieces.size(); ++k) {
        Profile profile;
        profile.distance = m_pieces[k].from;
        const double scale = m_scales[k];
        for (; i < m_cells.size() && m_cells[i].piece == k; ++i) {
            const Cell& cell = m_cells[i];
            const double v = std::sqrt(m_x[i]) / scale, w = std::sqrt(m_x[i + 1]) / scale;
            const double length = cell.to - cell.from;
            const double a = cell.lowered * cell.most / scale, top = std::sqrt(cell.lowered * cell.caps[0].x) / scale;
            // What begins faster than its cell allows brakes all along it.
            if (!cell.constant || isTooFast(i)) {
                if (v + w > 0) profile.append(2 * length / (v + w), v, (w * w - v * v) / (2 * length), 0, m_by[i]);
                continue;
            }
            const double peak = std::isfinite(a) ? std::min(top, std::sqrt(a * length + 0.5 * (v * v + w * w))) : top;
            const double up = std::max(0.0, (peak - v) / a), down = std::max(0.0, (peak - w) / a);
            const double rest = length - 0.5 * up * (v + peak) - 0.5 * down * (peak + w);
            profile.append(up, v, a, 0, cell.mostBy);
            if (rest > 1e-15 * (1 + length)) profile.append(rest / peak, peak, 0, 0, cell.caps[0].by);
            profile.append(down, peak, -a, 0, cell.mostBy);
        }
        profile.distance = m_pieces[k].to;
        law.duration += profile.duration;
        law.pieces.push_back(std::move(profile));
    }
    return law;
}

}  // namespace topikos
