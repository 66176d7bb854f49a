#include "core/motion/plan.h"

#include "core/motion/move_chain.h"

#include <cmath>
#include <utility>

namespace topikos {

namespace {

/// Everything of an input as bytes. Values only: the same bytes are the same input.
class Key {
public:
    explicit Key(const MoveInput& in)
    {
        m_bytes.reserve(640);
        add(in.arm.get());
        add(in.how.index());
        add(in.from);
        add(in.goal.index());
        if (const JointVector* posture = std::get_if<JointVector>(&in.goal)) {
            add(*posture);
        } else {
            const PoseGoal& goal = std::get<PoseGoal>(in.goal);
            add(goal.baseFromFlange);
            add(goal.configuration.index());
            add(goal.taught);
        }
        add(in.limits);
        std::visit([this](const auto& how) { add(how); }, in.how);
    }
    Key(const ArmPtr& arm, const Pose& pose, const JointVector* near)
    {
        add(arm.get());
        add(pose);
        if (near) add(*near);
    }
    Key(const std::vector<ChainedMove>& steps, const std::optional<ChainEntry>& entry)
    {
        for (const ChainedMove& step : steps) {
            raw(step.plan.get());
            raw(step.blend);
            add(step.flangeFromTcp);
        }
        if (!entry) return;
        raw(entry->corner.law.get());
        raw(entry->fraction);
    }
    std::string take() { return std::move(m_bytes); }

private:
    template <class T> void raw(const T& value) { m_bytes.append(reinterpret_cast<const char*>(&value), sizeof value); }
    void add(double value) { raw(value); }
    void add(const Arm* arm) { raw(arm); }
    void add(size_t value) { raw(value); }
    void add(int value) { raw(value); }
    void add(const JointVector& values)
    {
        raw(values.size());
        m_bytes.append(reinterpret_cast<const char*>(values.data()), size_t(values.size()) * sizeof(double));
    }
    void add(const Vec3& v)
    {
        for (const double x : v)
            raw(x);
    }
    void add(const Pose& pose)
    {
        add(pose.translation);
        for (const double x : pose.rotation.coeffs())
            raw(x);
    }
    void add(const MotionLimits& l)
    {
        for (const double x : {l.jointFraction, l.jointAcceleration, l.jointTurn, l.lineSpeed, l.lineAcceleration,
                               l.turnSpeed, l.turnAcceleration})
            raw(x);
    }
    void add(const SingularityBounds& b)
    {
        for (const double x : {b.wrist, b.elbow, b.shoulder, b.direction})
            raw(x);
    }
    void add(const std::vector<Companion>& companions)
    {
        raw(companions.size());
        for (const Companion& c : companions) {
            for (const double x : {c.way, c.speed, c.acceleration})
                raw(x);
            raw(c.axis);
        }
    }
    void add(const JointSegment& joints) { add(joints.companions); }
    void add(const TableInput& table)
    {
        raw(table.rows.get());
        raw(table.between);
        raw(table.passes);
    }
    void add(const LineInput& line)
    {
        raw(line.noCircle);
        add(line.bounds);
        add(line.watch);
        add(line.path);
    }
    void add(const LinePath& line)
    {
        add(line.start);
        add(line.end);
        add(line.flangeFromTcp);
        add(line.companions);
        raw(line.shape.index());
        if (const PathCircle* circle = line.circle()) {
            add(circle->centre);
            add(circle->axis);
            add(circle->angle);
        }
        raw(line.baseFromFrame.has_value());
        if (!line.baseFromFrame) return;
        raw(line.baseFromFrame->pieces.size());
        for (const PlaceMotion::Piece& p : line.baseFromFrame->pieces) {
            add(p.before);
            raw(p.kind);
            add(p.direction);
            add(p.from);
            add(p.to);
        }
        add(line.baseFromFrame->after);
    }

    std::string m_bytes;
};

/// The posture of a goal that the move may end in; else `plan` says why there is none.
std::optional<JointVector> goalPosture(const MoveInput& in, MovePlan& plan)
{
    const Arm& arm = *in.arm;
    if (const JointVector* posture = std::get_if<JointVector>(&in.goal)) {
        const RangeExcess excess = rangeExcess(arm, *posture);
        if (excess.joint < 0) return *posture;
        plan.problem = MovePlan::Problem::OutOfReach;
        plan.atGoal.reason = NoSolution::JointRange;
        plan.atGoal.range = excess;
        return std::nullopt;
    }
    const PoseGoal& goal = std::get<PoseGoal>(in.goal);
    const bool taught = goal.taught.size() == arm.jointCount();
    Solutions found = inverseKinematics(arm, goal.baseFromFlange, taught ? &goal.taught : &in.from);
    if (const Solution* s = chosenWay(arm, goal.configuration, goal.taught, found.items)) return s->joints;
    plan.problem = found.items.empty() ? MovePlan::Problem::OutOfReach : MovePlan::Problem::NotInConfiguration;
    if (const Solution* s = chosenWay(arm, goal.configuration, goal.taught, found.outOfRange))
        found.range = rangeExcess(arm, s->joints);
    plan.atGoal = std::move(found);
    return std::nullopt;
}

/// Whether a line has come to where its goal was taught.
void judgeArrival(const MoveInput& in, MovePlan& plan)
{
    const Arm& arm = *in.arm;
    const PoseGoal* pose = std::get_if<PoseGoal>(&in.goal);
    const JointVector& taught = pose ? pose->taught : std::get<JointVector>(in.goal);
    if (arm.hasConfigurations()) {
        const Configuration wanted = pose ? pose->configuration : configurationOf(arm, taught);
        const Configuration got =
            arm.hasBranches() ? plan.move->as<LineSegment>()->branch : configurationOf(arm, plan.arrival);
        plan.otherConfiguration = got != wanted;
    }
    if (taught.size() != arm.jointCount()) return;
    double most = 1;
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double off = std::abs(plan.arrival[i] - taught[i]);
        const double weighed =
            off / (arm.joints()[size_t(i)].kind == JointKind::Revolute ? kOtherPosture : kOtherPlace);
        if (weighed <= most) continue;
        most = weighed;
        plan.otherPosture = {i, off};
    }
}

MovePlan planned(const MoveInput& in)
{
    MovePlan plan;
    plan.arrival = in.from;
    if (const TableInput* table = std::get_if<TableInput>(&in.how)) {
        plan.jump = jumpOf(*in.arm, in.from, *table);
        if (plan.jump.where != TableJump::Where::Nowhere) plan.problem = MovePlan::Problem::TableJumps;
        else plan.move = planTableMove(*in.arm, in.from, *table, in.limits);
        if (plan.move) plan.arrival = plan.move->to;
        if (plan.move && plan.move->stop) plan.problem = MovePlan::Problem::LineStops;
        return plan;
    }
    if (const JointSegment* joints = std::get_if<JointSegment>(&in.how)) {
        const auto goal = goalPosture(in, plan);
        if (!goal) return plan;
        plan.move = planJointMove(*in.arm, in.from, *goal, in.limits, joints->companions);
        plan.arrival = *goal;
        return plan;
    }
    const LineInput& line = std::get<LineInput>(in.how);
    if (line.noCircle) {
        plan.arrival = goalPosture(in, plan).value_or(in.from);
        plan.problem = MovePlan::Problem::NoCircle;
        return plan;
    }
    plan.move = planLine(*in.arm, in.from, line.path, in.limits, line.bounds, line.watch);
    if (!plan.move->stop) {
        plan.arrival = plan.move->to;
        judgeArrival(in, plan);
        return plan;
    }
    plan.arrival = goalPosture(in, plan).value_or(in.from);
    plan.problem = MovePlan::Problem::LineStops;
    return plan;
}

}  // namespace

MovePlan planMove(const MoveInput& in)
{
    MovePlan plan = planned(in);
    if (plan.move) plan.move->number = freshNumber();
    return plan;
}

namespace {

size_t bytesOf(const Profile& profile)
{
    return sizeof profile + profile.stretches.capacity() * sizeof(Profile::Stretch);
}
size_t bytesOf(const JointWay& way)
{
    return way.empty() ? 0 : way.size() * sizeof(double) * size_t(1 + 3 * way.knot(0).posture.size());
}
size_t bytesOf(const Solutions& found)
{
    return sizeof found + (found.items.capacity() + found.outOfRange.capacity()) * sizeof(Solution);
}
size_t bytesOf(const Move& move)
{
    return sizeof move + bytesOf(move.profile) + (move.way() ? bytesOf(*move.way()) : 0)
           + move.alongside().capacity() * sizeof(Companion);
}
size_t bytesOf(const MovePlan& plan)
{
    return sizeof plan + bytesOf(plan.atGoal) + (plan.move ? bytesOf(*plan.move) : 0);
}
/// Corners with their moves, and laws; the moves of plans count there.
size_t bytesOf(const MoveChain& chain)
{
    size_t bytes = sizeof chain;
    for (const MoveChain::Step& step : chain.steps) {
        bytes += sizeof step + sizeof(Timing);
        for (const Leg& leg : step.timing->legs) {
            const bool corner = leg.move && leg.move->cut();
            bytes += sizeof leg + bytesOf(*leg.law) + (corner ? bytesOf(*leg.move) + sizeof(CornerCut) : 0);
        }
    }
    for (const MoveChain::Group& group : chain.smooth) {
        bytes += sizeof group + group.pieces.capacity() * (sizeof(TimedPiece) + 2 * sizeof(MoveChain::Part));
        for (const Profile& profile : group.law.pieces)
            bytes += bytesOf(profile);
        if (group.law.below) bytes += bytesOf(group.law.below->law);
    }
    return bytes;
}

}  // namespace

template <class Value, class Make>
std::shared_ptr<const Value> PlanCache::remembered(Store<Value>& store, std::string key,
                                                   std::shared_ptr<const void> keeps, Make make)
{
    {
        const std::lock_guard lock(m_mutex);
        ++m_counts.asked;
        if (const auto young = store.young.find(key); young != store.young.end()) return young->second.value;
        if (const auto old = store.old.find(key); old != store.old.end()) {
            const auto& moved = *store.young.insert(store.old.extract(old)).position;
            const size_t bytes = 2 * moved.first.size() + bytesOf(*moved.second.value);
            store.youngBytes += bytes;
            store.oldBytes -= bytes;
            return moved.second.value;
        }
        ++m_counts.planned;
    }
    // Two threads may work out the same at once; both come to the same.
    auto value = std::make_shared<const Value>(make());
    const std::lock_guard lock(m_mutex);
    if (store.youngBytes >= m_most / store.share) {
        store.old = std::exchange(store.young, {});
        store.oldBytes = std::exchange(store.youngBytes, 0);
    }
    const size_t bytes = 2 * key.size() + bytesOf(*value);
    const auto [at, isNew] =
        store.young.try_emplace(std::move(key), typename Store<Value>::Entry{std::move(keeps), std::move(value)});
    if (isNew) store.youngBytes += bytes;
    return at->second.value;
}

MovePlanPtr PlanCache::get(const MoveInput& input)
{
    std::shared_ptr<const void> keeps = input.arm;
    if (const TableInput* table = std::get_if<TableInput>(&input.how))
        keeps = std::make_shared<const std::pair<ArmPtr, RowsPtr>>(input.arm, table->rows);
    return remembered(m_plans, Key(input).take(), std::move(keeps), [&] { return planMove(input); });
}

std::shared_ptr<const Solutions> PlanCache::ways(const ArmPtr& arm, const Pose& baseFromFlange, const JointVector* near)
{
    return remembered(m_ways, Key(arm, baseFromFlange, near).take(), arm,
                      [&] { return inverseKinematics(*arm, baseFromFlange, near); });
}

std::shared_ptr<const MoveChain> PlanCache::chain(const Arm& arm, const std::vector<ChainedMove>& steps,
                                                  const std::optional<ChainEntry>& entry)
{
    // Its timings keep the moves of its plans; the way that it goes on from is kept beside.
    struct Kept {
        std::vector<ChainedMove> steps;
        std::optional<ChainEntry> entry;
    };
    return remembered(m_chains, Key(steps, entry).take(), std::make_shared<const Kept>(Kept{steps, entry}),
                      [&] { return makeMoveChain(arm, steps, {}, entry); });
}

PlanCache::Counts PlanCache::counts() const
{
    const std::lock_guard lock(m_mutex);
    Counts out = m_counts;
    out.bytes = m_plans.youngBytes + m_plans.oldBytes + m_ways.youngBytes + m_ways.oldBytes + m_chains.youngBytes
                + m_chains.oldBytes;
    return out;
}

void PlanCache::forget()
{
    const std::lock_guard lock(m_mutex);
    m_plans.clear();
    m_ways.clear();
    m_chains.clear();
}

}  // namespace topikos
