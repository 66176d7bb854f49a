#pragma once
#include "core/spatial/result.h"
#include "core/spatial/units.h"

#include <numbers>
#include <vector>

namespace topikos {

/// What a number from outside may be. Edits, readers, the fields of the window, the schemas and docs/format/limits.md
/// take it from here, so that they cannot differ.
struct Limit {
    const char* key;     ///< stable word for documents and tests
    const char* what;    ///< how a message names it: "the speed of a line"
    double least, most;  ///< in SI, both possible
    const char* unit;    ///< as people read it
    double inUnit;       ///< SI value of one such unit
    const char* why;     ///< the reason, for the document

    constexpr bool holds(double value) const { return value >= least && value <= most; }  // not for NaN
    constexpr double clamped(double value) const { return value < least ? least : value > most ? most : value; }
};

namespace limits {

// Lengths, and what is made of them.
inline constexpr Limit kOffset{"offset",
                               "a coordinate",
                               -1000,
                               1000,
                               "mm",
                               kMillimetre,
                               "places of surfaces are kept to a tenth of a millimetre this far out"};
inline constexpr Limit kSize{"size",
                             "a size",
                             1e-6,
                             100,
                             "mm",
                             kMillimetre,
                             "shapes thinner than a thousandth of a millimetre have no inside to tell"};
inline constexpr Limit kDeviceLength{"device-length", "a length of a device",       0, 100, "mm",
                                     kMillimetre,     "the longest belts of a hall"};
inline constexpr Limit kPitch{"pitch", "a distance in a pattern", -100, 100, "mm", kMillimetre, "as sizes"};
inline constexpr Limit kChainOffset{"chain-offset", "a distance from one joint to the next", -50, 50, "mm",
                                    kMillimetre,    "a larger one means another unit"};
inline constexpr Limit kArmReach{
    "arm-reach", "the reach that a maker gives", 0, 50, "mm", kMillimetre, "arms on tracks count without the track"};
inline constexpr Limit kMass{"mass", "a mass", 0, 1e5, "kg", 1, "the heaviest arms carry 2300 kg"};
inline constexpr Limit kInertia{"inertia", "a moment of inertia", 0, 1e5, "kg m²", 1, "as masses"};
inline constexpr Limit kTurnsOfAPattern{
    "sweep", "the angle of a ring",   -2 * std::numbers::pi - 1e-9, 2 * std::numbers::pi + 1e-9, "°",
    kDegree, "a ring goes round once"};
inline constexpr Limit kTypedAngle{
    "typed-angle", "an angle of a place",  -2 * std::numbers::pi, 2 * std::numbers::pi, "°",
    kDegree,       "once round either way"};
inline constexpr Limit kDensity{"density", "a density", 0.1, 30000, "kg/m³", 1, "the heaviest metals have 22600"};
inline constexpr Limit kStagger{"stagger", "the stagger of a pattern", 0, 1, "%", 0.01, "a whole pitch at most"};

// Joints and axes.
inline constexpr Limit kJointTravel{
    "joint-travel", "an end of a range", -1000, 1000, "m or rad", 1, "a larger one means another unit"};
inline constexpr Limit kJointSpeed{"joint-speed",
                                   "the largest speed of a joint or an axis",
                                   1e-4,
                                   1000,
                                   "m/s or rad/s",
                                   1,
                                   "a slower one never arrives"};
inline constexpr Limit kJointAcceleration{"joint-acceleration",
                                          "the largest acceleration of a joint or an axis",
                                          1e-3,
                                          1e5,
                                          "m/s² or rad/s²",
                                          1,
                                          "a lower one never comes up to speed"};
inline constexpr Limit kJointEffort{"joint-effort",          "the largest effort of a joint", 0, 1e9, "N or N m", 1,
                                    "0 when it is not known"};

inline constexpr Limit kJointJerk{
    "joint-jerk", "the largest jerk of a joint", 0, 1e7, "m/s³ or rad/s³", 1, "0 when it is not limited"};

// Time tables.
inline constexpr Limit kTimeRows{
    "time-rows", "the number of rows of a time table", 2, 100000, "", 1, "each is kept in the cell"};
inline constexpr Limit kTableTime{
    "table-time", "a time of a time table", 0, 86400, "s", 1, "a day; longer ones are several"};

// Grippers and devices.
inline constexpr Limit kJaw{"jaw", "a width of a gripper", 0, 10, "mm", kMillimetre, "wider ones are arms"};
inline constexpr Limit kPivot{"pivot",           "the way from a jaw's pivot to the TCP", 1e-4, 10, "mm", kMillimetre,
                              "0 gives no lever"};
inline constexpr Limit kGripTime{"grip-time", "the time of a gripper", 0, 60, "s", 1, "as slow as vacuum gets"};
inline constexpr Limit kBeltSpeed{"belt-speed", "the speed of a belt",       1e-4, 10, "mm/s",
                                  kMillimetre,  "a slower one never arrives"};
inline constexpr Limit kBeltAcceleration{
    "belt-acceleration", "the acceleration of a belt", 1e-3, 100, "m/s²", 1, "a lower one never comes up to speed"};
inline constexpr Limit kBeltPitch{
    "belt-pitch", "the pitch of a belt", 1e-3, 100, "mm", kMillimetre, "each pitch is an event of the run"};
inline constexpr Limit kSourceInterval{
    "source-interval", "the time from part to part", 0.01, 86400, "s", 1, "each part is an event of the run"};
inline constexpr Limit kSourceMost{
    "source-most", "the number of parts that a source makes", 0, 10000, "", 1, "each part is drawn and kept"};
inline constexpr Limit kSignalValue{
    "signal-value", "the value of a signal", -1e12, 1e12, "", 1, "whole numbers stay exact"};

// Steps and what they go by.
inline constexpr Limit kStepJointSpeed{"step-joint-speed",          "the speed of a joint move", 1e-3, 1, "%", 0.01,
                                       "a slower one never arrives"};
inline constexpr Limit kStepLineSpeed{"step-line-speed", "the speed of a line",       1e-4, 10, "mm/s",
                                      kMillimetre,       "a slower one never arrives"};
inline constexpr Limit kBlend{"blend", "a blend", 0, 1, "mm", kMillimetre, "longer than any corner"};
inline constexpr Limit kStandoff{
    "standoff", "a distance above a target", 0, 1, "mm", kMillimetre, "farther away a target of its own says more"};
inline constexpr Limit kWait{"wait", "a wait", 0, 3600, "s", 1, "longer ones are several"};
inline constexpr Limit kStepAcceleration{
    "step-acceleration", "the acceleration of a move", 1e-3, 1, "%", 0.01, "a lower one never comes up to speed"};
inline constexpr Limit kStepTurnSpeed{"step-turn-speed", "the turn speed of a move",  1e-3, 100, "°/s",
                                      kDegree,           "a slower one never arrives"};
inline constexpr Limit kShift{"shift", "a way along an axis", -10, 10, "mm", kMillimetre, "longer than any arm"};
inline constexpr Limit kShiftTurn{
    "shift-turn", "a turn about an axis", -3.12, 3.12, "°", kDegree, "half a turn could go either way round"};
inline constexpr Limit kJointTurn{"joint-turn", "the turn of one joint",       -20, 20, "°",
                                  kDegree,      "further than any joint turns"};
inline constexpr Limit kJointSlide{"joint-slide", "the way of one joint",         -20, 20, "mm",
                                   kMillimetre,   "further than any joint slides"};
inline constexpr Limit kJointShift{
    "joint-shift", "the amount of one joint", -20, 20, "rad or m", 1, "that of a joint that turns or slides"};
inline constexpr Limit kJointNumber{"joint-number", "the number of a joint", 1, 32, "", 1, "arms have fewer"};
inline constexpr Limit kPulse{"pulse", "the length of a pulse", 1e-3, 3600, "s", 1, "shorter ones are not seen"};
inline constexpr Limit kWaitLimit{
    "wait-limit", "the time limit of a wait", 1e-3, 3600, "s", 1, "longer ones are several"};
inline constexpr Limit kRepeat{"repeat", "the number of passes of a repeat", 1, 1e6, "",
                               1,        "each is an event of the run"};
inline constexpr Limit kLead{"lead", "the lead time of a process", 0, 10, "s", 1, "longer than any valve takes"};
inline constexpr Limit kProcessDepth{"process-depth", "how deep a process goes into a body", 0, 0.2, "mm",
                                     kMillimetre,     "no sponge gives way so far"};
inline constexpr Limit kStepText{"step-text",          "the length of a note or message", 0, 200, "bytes", 1,
                                 "it has to fit a row"};
inline constexpr Limit kStepDepth{
    "step-depth", "the depth of blocks", 0, 16, "", 1, "deeper ones are routines of their own"};
inline constexpr Limit kCallDepth{"call-depth", "the depth of calls", 0, 64, "", 1, "each is kept while it runs"};
inline constexpr Limit kParameters{
    "routine-places", "the number of names that a routine has for places", 0, 12, "", 1, "a call has to fit a row"};
inline constexpr Limit kProgramText{
    "program-text", "the size of a program's text", 0, 10e6, "bytes", 1, "a step per line, for all that a cell holds"};
inline constexpr Limit kLineAcceleration{
    "line-acceleration", "the acceleration of lines", 1e-3, 1e4, "m/s²", 1, "a lower one never comes up to speed"};
inline constexpr Limit kTurnSpeed{
    "turn-speed", "the turn speed of lines", 1e-3, 1e4, "rad/s", 1, "a slower one never arrives"};
inline constexpr Limit kTurnAcceleration{"turn-acceleration",
                                         "the turn acceleration of lines",
                                         1e-3,
                                         1e4,
                                         "rad/s²",
                                         1,
                                         "a lower one never comes up to speed"};
inline constexpr Limit kJointMargin{"joint-margin", "a margin of joints", 0, 3.2, "°", kDegree, "half a turn"};
inline constexpr Limit kSlideMargin{"slide-margin", "a margin of sliding joints", 0, 10, "mm",
                                    kMillimetre,    "longer than any slide"};
inline constexpr Limit kClearance{"clearance", "a clearance", 0, 1, "mm", kMillimetre, "wider ones are no warning"};
inline constexpr Limit kPadding{"padding",   "the padding of an arm's bodies", 0, 0.5, "mm",
                                kMillimetre, "thicker than any cover"};
inline constexpr Limit kMayTouch{"may-touch", "the number of things that a step may touch", 0, 20, "",
                                 1,           "more say that contact does not matter"};
inline constexpr Limit kWristAngle{
    "wrist-angle", "a distance from the wrist's singularity", 0, std::numbers::pi / 2, "°",
    kDegree,       "axes are at right angles there"};
inline constexpr Limit kSingularLength{
    "singular-length",          "a distance from a singularity of elbow or shoulder", 0, 10, "mm", kMillimetre,
    "farther than any arm gets"};
inline constexpr Limit kSingularValue{"singular-value",          "a smallest singular value", 0, 1, "", 1,
                                      "lengths are by the reach"};

// The run.
inline constexpr Limit kRunLength{
    "run-length", "the length of a run", 1e-3, 2.6e6, "s", 1, "thirty days: whatever takes longer never ends"};
inline constexpr Limit kRunEvents{
    "run-events", "the number of events of a run", 0, 2e6, "", 1, "each step of it is kept in memory"};
inline constexpr Limit kRunMemory{
    "run-memory", "what a run keeps", 0, 200e6, "bytes", 1, "windows and command lines have other things to keep"};
inline constexpr Limit kTableStep{
    "table-step", "the time from row to row of a table", 1e-4, 3600, "s", 1, "controllers go by 1 ms and more"};
inline constexpr Limit kTableRows{"table-rows",
                                  "the number of rows of a table",
                                  0,
                                  2000000,
                                  "rows",
                                  1,
                                  "what other programs open; written in a minute"};

// Counts.
inline constexpr Limit kNameLength{"name-length", "the length of a name", 1, 60, "", 1, "it has to fit a row"};
inline constexpr Limit kListLength{"list-length",           "the number of objects of a kind", 0, 100000, "", 1,
                                   "each is kept in memory"};
inline constexpr Limit kArms{"arms", "the number of arms", 1, 100, "", 1, "all of them are asked at each event"};
inline constexpr Limit kTreeDepth{
    "tree-depth", "the depth of the frame tree", 0, 100, "", 1, "each place is worked out level by level"};
inline constexpr Limit kPlaces{"places", "the number of places of a pattern", 1, 10000, "", 1, "each can be a target"};
inline constexpr Limit kPointNumber{"point-number",         "the number of a drawn point", 0, 1e9, "", 1,
                                    "leaves room for edits"};
inline constexpr Limit kLean{
    "lean", "a lean of the tool", -80 * kDegree, 80 * kDegree, "°", kDegree, "at 90° the tool lies on the surface"};
inline constexpr Limit kSurfaceOffset{"surface-offset", "a distance from the surface", -0.1, 1, "mm",
                                      kMillimetre,      "as distances above a target"};
inline constexpr Limit kSmoothing{
    "smoothing", "the radius that normals are smoothed over", 0, 0.2, "mm", kMillimetre, "wider ones flatten the body"};
inline constexpr Limit kSpacing{"spacing",   "the distance of drawn points",    5e-4, 1, "mm",
                                kMillimetre, "a line has 10,000 points at most"};
inline constexpr Limit kChord{"chord",     "the chord error of drawn points",   1e-5, 0.05, "mm",
                              kMillimetre, "finer than surfaces from files are"};
inline constexpr Limit kFreeAngle{
    "free-angle", "the angle of a freedom", 0, 180 * kDegree, "°", kDegree, "half round either way is all round"};
inline constexpr Limit kFreeTurnStep{"free-turn-step", "the step between free turns",  1 * kDegree, 90 * kDegree, "°",
                                     kDegree,          "finer ones make no difference"};
inline constexpr Limit kFreeLength{
    "free-length", "the length of a freedom", 0, 1, "mm", kMillimetre, "farther away a target of its own says more"};
inline constexpr Limit kTargetNote{
    "target-note", "the length of a note or group of a target", 0, 200, "bytes", 1, "it has to fit a row"};
inline constexpr Limit kGrips{"grips", "the number of grip points of a kind", 0, 20, "", 1, "each is tried"};
inline constexpr Limit kLeftOut{"left-out", "the number of places left out",  0, 10000, "",
                                1,          "no more than a pattern can have"};
inline constexpr Limit kCorners{
    "outline-corners", "the number of corners of an outline", 3, 500, "", 1, "each pair of edges is looked at"};
inline constexpr Limit kIdentifier{"id", "an id", 1, 4e9, "", 1, "leaves room for edits"};
inline constexpr Limit kSolids{"shapes", "the number of shapes of one thing",   0, 1000, "shapes",
                               1,        "each is drawn and checked on its own"};

}  // namespace limits

/// Every limit, in the order of the document.
const std::vector<const Limit*>& allLimits();

/// "a blend cannot be 2000 mm; its limits are 0 and 1000 mm", or nothing when it holds. `code` is the error's, `what`
/// what the number is called where that says more than the limit does.
Status checkLimit(const Limit& limit, double value, const char* code, const char* what = nullptr);

}  // namespace topikos
