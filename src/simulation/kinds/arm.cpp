#include "kinds.h"
#include "task_runner.h"

namespace escarp::simulation {
namespace {

class ArmKind final : public Kind {
public:
    std::string id() const override { return "arm"; }
    std::string label() const override { return "Arm"; }
    /// Its keys are read by `read_arm` and shown by cards of their own; here stands what a new one is given.
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{of(Type::text, "model", "arm").at_first(""),
            of(Type::text, "tool", "tool").usually("").at_first(""),
            of(Type::list, "poses", "poses").lacking().at_first(cell::json::array()),
            of(Type::list, "task", "task").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::Reader&, const cell::Cell&, cell::Device& d) const override { d.look = cell::Look::arm; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<TaskRunner>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> arm_kind() { return std::make_unique<ArmKind>(); }

}  // namespace escarp::simulation
