#include "tests/core/support.h"

#include "core/spatial/rotation.h"

#include <cmath>
#include <fstream>
#include <map>

namespace topikos::test {

std::string dataPath(const std::string& name) { return std::string(TOPIKOS_TEST_DATA) + "/" + name; }
std::string examplePath(const std::string& name) { return std::string(TOPIKOS_EXAMPLES) + "/" + name + ".topikos"; }

const Json& reference(const std::string& name)
{
    static std::map<std::string, Json> read;
    Json& json = read[name];
    if (json.is_null()) {
        std::ifstream file(dataPath("reference/" + name + ".json"));
        json = Json::parse(file);
    }
    return json;
}

ArmPtr urdfArm(const std::string& name) { return findArm(dataPath("reference/robots/" + name + ".urdf")).value(); }

Cell example(const std::string& name) { return openCell(examplePath(name)).value(); }

JointVector jointsOf(const Json& list)
{
    JointVector q(Eigen::Index(list.size()));
    for (size_t i = 0; i < list.size(); ++i) q[Eigen::Index(i)] = list[i].get<double>();
    return q;
}

Eigen::Matrix4d matrixOf(const Json& rows)
{
    Eigen::Matrix4d m;
    for (size_t r = 0; r < 4; ++r)
        for (size_t c = 0; c < 4; ++c) m(Eigen::Index(r), Eigen::Index(c)) = rows[r][c].get<double>();
    return m;
}

Pose poseOf(const Json& rows)
{
    const Eigen::Matrix4d m = matrixOf(rows);
    return makePose(m.topLeftCorner<3, 3>(), m.topRightCorner<3, 1>());
}

JointVector randomPosture(const Arm& arm, std::mt19937_64& random)
{
    JointVector q(arm.jointCount());
    for (int i = 0; i < arm.jointCount(); ++i) q[i] = std::uniform_real_distribution(arm.joints()[size_t(i)].lower, arm.joints()[size_t(i)].upper)(random);
    return q;
}

double difference(const Arm& arm, const JointVector& a, const JointVector& b)
{
    double worst = 0;
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double d = a[i] - b[i];
        worst = std::max(worst, std::abs(arm.joints()[size_t(i)].kind == JointKind::Revolute ? wrapped(d) : d));
    }
    return worst;
}

}  // namespace topikos::test
