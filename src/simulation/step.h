#pragma once
// A kind of step with how it is carried out. A new one is a file in steps/ and a line in `standard_kinds`.

#include <cell/model/step_kind.h>

#include "arm_driver.h"

namespace escarp::simulation {

class StepKind : public cell::StepKind {
public:
    /// Begins it, or says that it must wait; asked again whenever something that it listens to has changed, until it
    /// need not.
    virtual Outcome begin(TaskRunner& runner, Kernel& kernel, const cell::Step& step) const = 0;
    /// What may let it go on, where it must wait.
    virtual Listening listens_to(const cell::Step& step) const {
        Listening to;
        if (step.device >= 0) to.devices.push_back(step.device);
        if (step.signal >= 0) to.signals.push_back(step.signal);
        if (step.condition) to.signals = step.condition->signals();
        return to;
    }
    /// Who is waited for, where it must wait.
    virtual Waiting waiting(const cell::Cell&, const cell::Step&) const { return {-1, WaitFor::none}; }
};
inline const StepKind& kind_of(const cell::Step& step) { return static_cast<const StepKind&>(*step.kind); }

}  // namespace escarp::simulation
