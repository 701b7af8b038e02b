#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

class DelayStep final : public StepKind {
public:
    std::string id() const override { return "delay"; }
    std::string label() const override { return "Dwell"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::number("time_s", "dwell", 0, 1e5).varying().at_first(1.0)};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override { s.time = r.values().spread("time_s"); }
    std::string words(const cell::Cell&, const cell::Step& s) const override {
        return "Dwell " + (s.time.varies() ? s.time.text() : cell::json(s.time.mean()).dump()) + " s";
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        return runner.take_time(k, s.time);
    }
};

}  // namespace

std::unique_ptr<StepKind> delay_step() { return std::make_unique<DelayStep>(); }

}  // namespace escarp::simulation
