#pragma once
// What is wrong, why, and the ways out.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <cell/document/edit.h>

namespace escarp::simulation {
struct Run;
}

namespace escarp::inspection {

enum class Severity { stop, watch, note };
const char* word(Severity severity);

struct WayOut {
    std::string label;   ///< "Move Arm 1 60 mm toward Tester"
    std::string effect;  ///< what it was found to bring: "all 7 poses reached, 41 mm in hand"
    cell::Edit edit;
};

/// A step of the way to what a finding tells.
struct FindingStep {
    std::optional<double> when_s;  ///< in the finding's own run
    std::string words;
};

struct Finding {
    std::string id;  ///< stable while the same problem lasts: "reach:arm1:s2:tester:1"
    Severity severity = Severity::note;
    std::string title, text;
    std::vector<std::string> devices;                 ///< ids
    std::vector<std::string> bodies = {};             ///< of clearances: of each of the two, see cell::body_names
    std::string device, step;                         ///< the step concerned, if one: ids
    std::optional<double> when_s;                     ///< the instant to look at
    std::vector<FindingStep> steps = {};              ///< how it comes to that
    std::shared_ptr<const simulation::Run> run = {};  ///< in which it does, where that is not the cell's own
    std::vector<WayOut> ways_out;
};

}  // namespace escarp::inspection
