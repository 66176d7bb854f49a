#pragma once
#include "core/cell/cell.h"
#include "core/check/finding.h"
#include "core/files/cell_file.h"
#include "core/files/arm_file.h"
#include "core/files/urdf.h"
#include "core/robot/catalogue.h"
#include "core/simulate/trace.h"

#include <nlohmann/json.hpp>

#include <QTest>

#include <random>

/// Shared by the core tests: reference numbers, examples, seeded random postures.
namespace topikos::test {

using Json = nlohmann::json;

std::string dataPath(const std::string& name);
std::string examplePath(const std::string& name);
const Json& reference(const std::string& name);  ///< "fk", "ik", …

/// The arm of a reference file, read from its URDF.
ArmPtr urdfArm(const std::string& name);
Cell example(const std::string& name);
/// A cell that once broke something.
Cell onceBroke(const std::string& name);

QByteArray contentOf(const QString& path);
void write(const QString& path, const QByteArray& bytes);

JointVector jointsOf(const Json& list);
Eigen::Matrix4d matrixOf(const Json& rows);
Pose poseOf(const Json& rows);

JointVector randomPosture(const Arm& arm, std::mt19937_64& random);

/// Largest difference of two postures, revolute joints modulo full turns [rad or m].
double difference(const Arm& arm, const JointVector& a, const JointVector& b);

/// The demo cell with six devices wired at random, in circles too, and one or two arms that set and wait for anything.
Cell randomWiring(std::mt19937_64& random);
/// The same cell with every list of the file in another order.
Cell shuffled(const Cell& cell, std::mt19937_64& random);
/// Everything that happens in a run, to the last bit, in an order that does not depend on the file.
std::string storyOf(const Trace& trace);
/// A cell whose main routine of the last arm has these steps and no others.
Cell withSteps(Cell cell, std::initializer_list<const char*> steps);

/// A step as somebody types it into the first routine in which it can stand.
Result<Step> typedStep(const Cell& cell, const std::string& text);

FrameId frameNamed(const Cell& cell, const std::string& name);
/// The demo with a pattern of parts and one of targets in the rack.
Cell patterned(PatternId* parts = nullptr, PatternId* targets = nullptr);

/// What is wrong with a value under the part of JSON Schema that our schemas use; empty when nothing is.
std::string schemaOffence(const Json& value, Json schema, const Json& root, const std::string& place);

}  // namespace topikos::test

Q_DECLARE_METATYPE(std::string)
Q_DECLARE_METATYPE(topikos::ArmPtr)
Q_DECLARE_METATYPE(topikos::JointVector)
Q_DECLARE_METATYPE(topikos::Vec3)
Q_DECLARE_METATYPE(topikos::Rule)
