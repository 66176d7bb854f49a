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
    for (size_t i = 0; i < list.size(); ++i)
        q[Eigen::Index(i)] = list[i].get<double>();
    return q;
}

Eigen::Matrix4d matrixOf(const Json& rows)
{
    Eigen::Matrix4d m;
    for (size_t r = 0; r < 4; ++r)
        for (size_t c = 0; c < 4; ++c)
            m(Eigen::Index(r), Eigen::Index(c)) = rows[r][c].get<double>();
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
    for (int i = 0; i < arm.jointCount(); ++i)
        q[i] = std::uniform_real_distribution(arm.joints()[size_t(i)].lower, arm.joints()[size_t(i)].upper)(random);
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

std::string schemaOffence(const Json& value, Json schema, const Json& root, const std::string& place)
{
    if (schema.contains("$ref")) schema = root["$defs"][schema["$ref"].get<std::string>().substr(8)];
    if (schema.contains("oneOf")) {
        int fits = 0;
        for (const Json& choice : schema["oneOf"])
            fits += schemaOffence(value, choice, root, place).empty() ? 1 : 0;
        return fits == 1 ? "" : place + " fits " + std::to_string(fits) + " choices";
    }
    if (schema.contains("enum"))
        return std::find(schema["enum"].begin(), schema["enum"].end(), value) != schema["enum"].end()
                   ? ""
                   : place + " is none of the words";
    const std::string type = schema.value("type", "");
    const bool right = type == "object"    ? value.is_object()
                       : type == "array"   ? value.is_array()
                       : type == "string"  ? value.is_string()
                       : type == "boolean" ? value.is_boolean()
                       : type == "integer" ? value.is_number_integer()
                       : type == "number"  ? value.is_number()
                                           : false;
    if (!right) return place + " is no " + type;
    if (schema.contains("minimum") && value < schema["minimum"]) return place + " is too small";
    if (schema.contains("maximum") && value > schema["maximum"]) return place + " is too large";
    if (type == "array") {
        if (schema.contains("minItems") && value.size() < schema["minItems"]) return place + " is too short";
        if (schema.contains("maxItems") && value.size() > schema["maxItems"]) return place + " is too long";
        for (size_t i = 0; i < value.size(); ++i)
            if (std::string bad = schemaOffence(value[i], schema["items"], root, place + "[" + std::to_string(i) + "]");
                !bad.empty())
                return bad;
    }
    if (type == "object") {
        for (const Json& key : schema["required"])
            if (!value.contains(key.get<std::string>())) return place + " lacks " + key.get<std::string>();
        for (const auto& [key, item] : value.items()) {
            if (!schema["properties"].contains(key)) return place + " has " + key;
            if (std::string bad = schemaOffence(item, schema["properties"][key], root, place + "." + key); !bad.empty())
                return bad;
        }
    }
    return {};
}

}  // namespace topikos::test
