#pragma once
#include "core/motion/time_law.h"

namespace topikos {

/// Scale of each piece, so that speeds go on evenly from one to the next: its own speed of the fraction times that.
std::vector<double> scalesOf(const std::vector<TimedPiece>& pieces);

/// Times pieces of moves as fast as limits of speed and acceleration allow, from a speed to rest. s and x = s'^2 are
/// taken so that both go on evenly from piece to piece: s' is a piece's own speed of its fraction times its scale.
class LawMaker {
public:
    LawMaker(const Arm& arm, std::vector<TimedPiece> pieces);

    /// The law, with no limit passed anywhere. `startSpeed`: of the first fraction [1/s].
    TimeLaw make(double startSpeed);

    // A law that is made slower in places.
    /// The law with its cells as they are, lowered ones too. When it cannot be as slow at its beginning as it ought to
    /// be, it brakes as hard as it may.
    TimeLaw again(double startSpeed);
    size_t cellCount() const { return m_cells.size(); }
    /// How long the law is in a cell [s].
    double timeIn(size_t i) const;
    /// Divides cells with constant limits, so that they can be lowered in part.
    void divide(int parts);
    /// Lowers, or raises again, what is allowed of x in a cell.
    void change(size_t i, double factor);
    /// Keeps the cells, and takes those back that were kept.
    void keep() { m_kept = m_cells; }
    void takeBack() { m_cells = m_kept; }

private:
    using Row = PlaceBounds::Row;
    /// A limit of s'' and of x, with what it makes of s'' by x.
    struct CellRow : Row {
        bool ofX;      ///< of x alone
        double slope;  ///< of s'' by x
        double half;   ///< of |s''| at x = 0, in a cell that is not lowered

        explicit CellRow(const Row& row);
    };
    /// A part of a piece in which the acceleration of s is constant, or that is passed as quickly as constant limits
    /// allow.
    struct Cell {
        size_t piece;
        double from, to;  ///< fractions
        struct Cap {
            double x = INFINITY;
            HeldBy by{};
        };
        std::array<Cap, 3>
            caps{};              ///< of x at the beginning, in the middle and at the end, in the scale of the whole law
        double most = INFINITY;  ///< constant cells: of |s''|
        HeldBy mostBy{};
        bool constant = false;
        size_t firstRow = 0, rowCount = 0;      ///< others: of s'' and of x at the beginning
        double length = 0;                      ///< in the scale of the whole law
        double floor = 0;                       ///< of x; no limit takes it lower
        double lookedFrom = -1, lookedTo = -1;  ///< x at both ends when nothing was passed
        int halvings = 0;
        bool coarse = false;  ///< a shorter cell would allow a higher speed
        double whole = 1;     ///< the most that it may be lowered to
        double lowered = 1;   ///< of all limits, because one was passed between the places looked at, and it is short
    };
    /// A limit of s'' by x at the beginning of a cell.
    struct Side {
        double value, slope;  ///< at x = 0, and by x
        HeldBy by;
        double at(double x) const { return value + slope * x; }
    };
    /// Tightest limits of s'' at x.
    struct Room {
        Side low{-INFINITY, 0, {}}, high{INFINITY, 0, {}};
    };

    void solve(double startSpeed);
    /// Whether a constant cell begins or ends faster than it allows.
    bool isTooFast(size_t i) const;
    /// The limits at a place of a piece in the scale of the whole law.
    PlaceBounds boundsIn(size_t k, double fraction, bool joints) const;
    void boundsIn(size_t k, double fraction, bool joints, PlaceBounds& out) const;
    /// Where cells begin and end.
    std::vector<double> marksOf(const TimedPiece& piece) const;
    void addCells(size_t k);
    /// Whether all joints can do what the tool is allowed at a place, whatever it does of that.
    bool jointsAllow(const Move& move, double fraction, double cap, double most) const;
    /// Limits without the part of x where that is small even at the highest speed, as on a slow arc; they are a little
    /// lower then. Else the same.
    static PlaceBounds steady(const PlaceBounds& b);
    static void makeConstant(Cell& cell, const PlaceBounds& constant);
    void addRows(Cell& cell, std::array<const PlaceBounds*, 3> places);
    Room roomAt(const Cell& cell, double x) const;
    /// The highest x at the beginning of a cell from which its end is passed with no more than `next`.
    double highest(Cell& cell, double next, HeldBy& by) const;
    /// Where a joint turns round, a higher speed at the beginning of a cell can force a lower one at its end. That is
    /// not worth it: the highest x up to `most` from which the end is passed as fast as from any lower one, or with all
    /// that is allowed there.
    double notTooFast(const Cell& cell, double most, double next) const;
    /// From the end, then from the start. `keepStart`: the speed at the start is what it is.
    void pass(double startSpeed, bool keepStart = false);
    /// Halves cells in which a limit is passed between the places that decided, and lowers the limits of those that
    /// have become short; false when there is none.
    bool lowerPassed();
    TimeLaw write() const;

    const Arm& m_arm;
    const std::vector<TimedPiece> m_pieces;
    std::vector<double> m_scales;
    std::vector<Cell> m_cells, m_kept;
    std::vector<CellRow> m_rows;
    std::vector<double> m_highest, m_x;
    std::vector<HeldBy> m_highestBy, m_by;
};

}  // namespace topikos
