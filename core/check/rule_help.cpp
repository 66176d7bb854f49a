#include "core/check/rule_help.h"

namespace topikos {

const char* whyItMatters(Rule rule)
{
    switch (rule) {
    case Rule::Reach: return "The arm stops short of where the work is, and the run with it.";
    case Rule::JointRange: return "An arm that comes to a range end stops the line, in the same place each time.";
    case Rule::Singularity:
        return "A small move of the tool asks for a large move of a joint there, so the line slows or the controller "
               "stops.";
    case Rule::Configuration:
        return "The arm would have to pass through a singularity to change its configuration, which a line cannot.";
    case Rule::JointSpeed: return "The tool slows where it should go evenly, and the cycle takes longer than planned.";
    case Rule::JointAcceleration: return "The tool slows where a joint has to turn round sharply.";
    case Rule::Corner: return "The tool comes nearer to a stop at the corner than the program asks.";
    case Rule::Contact: return "What touches here breaks there.";
    case Rule::Clearance: return "Parts, tools and fixtures are never exactly where they are drawn.";
    case Rule::Grip: return "The arm goes on with empty jaws, and everything behind that is done for nothing.";
    case Rule::Signal: return "The cell stands still and nobody is told why.";
    case Rule::Axis: return "Two arms that move the same axis pull it to two places.";
    case Rule::Belt: return "Parts on the floor stop more than one arm.";
    case Rule::Stop: return "Somebody has to come and start it again.";
    case Rule::AdviceUnusedTarget: return "A target that nobody goes to is often the one that was meant.";
    case Rule::AdviceDoubledTarget: return "Two parts in one place do not fit.";
    case Rule::AdviceNoApproach: return "Jaws that come from the side take the neighbour along.";
    case Rule::AdviceJointIntoGrip: return "A joint move is no line: what the jaws pass is not easily foreseen.";
    case Rule::AdviceNotOpened: return "Closed jaws are set down on the part.";
    case Rule::AdviceGripAgain: return "The second part stays where it is.";
    case Rule::AdviceNothingHeld: return "A release of nothing often stands where a grip was forgotten.";
    case Rule::AdviceSideways: return "The part is dragged over what it lies on.";
    case Rule::AdviceEndlessWait: return "A wait for what nobody brings about never ends.";
    case Rule::AdviceTwoWriters: return "What one writer switches on the other may switch off.";
    case Rule::AdviceOtherTool: return "A target taught with another tool sends this one elsewhere.";
    case Rule::AdviceUncalled: return "Steps that nobody runs are often thought to be running.";
    case Rule::AdviceOpenEnd: return "The next cycle begins otherwise than this one.";
    case Rule::AdviceNotJudged: return "What was not looked at may be blocked.";
    }
    return "";
}

}  // namespace topikos
