#include "core/check/rules/rules.h"

#include <fmt/format.h>

namespace topikos {

void judgeBelts(const Cell& cell, const Trace& trace, Findings& out)
{
    for (const PartEvent& e : trace.partEvents) {
        if (e.kind != PartEvent::Kind::Gone) continue;
        if (findFrame(cell, e.frame)->device->kind != Device::Kind::Belt) continue;
        Finding f;
        f.rule = Rule::Belt;
        f.fact = BeltFact{e.frame, e.part, e.time};
        out.push_back(std::move(f));
    }
}

FindingText textOf(const BeltFact& fact, const Wording& words)
{
    return {"A part runs off the end of " + frameName(words.cell, fact.belt),
            fmt::format("At {:.2f} s. Let it stop in time, let parts wait at the belt's end, or put a sink there.",
                        fact.time)};
}

}  // namespace topikos
