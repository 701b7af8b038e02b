#pragma once
// A kind of step with how it is carried out. A new one is a file in steps/ and a line in `standard_kinds`.

#include <cell/step_kind.h>

#include "task_runner.h"

namespace escarp::simulation {

class StepKind : public cell::StepKind {
public:
    /// Begins it, or says that it must wait; asked again whenever the step's device or signal has changed, until it
    /// need not.
    virtual TaskRunner::Outcome begin(TaskRunner& runner, Kernel& kernel, const cell::Step& step) const = 0;
    /// Who is waited for, where it must wait.
    virtual Waiting waiting(const cell::Cell&, const cell::Step&) const { return {-1, WaitFor::none}; }
};
inline const StepKind& kind_of(const cell::Step& step) { return static_cast<const StepKind&>(*step.kind); }

}  // namespace escarp::simulation
