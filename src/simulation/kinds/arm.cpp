#include "kinds.h"
#include "task_runner.h"

namespace escarp::simulation {
namespace {

class ArmKind final : public Kind {
public:
    std::string id() const override { return "arm"; }
    std::string label() const override { return "Arm"; }
    cell::json fresh() const override {
        return {{"model", ""}, {"tool", ""}, {"poses", cell::json::array()}, {"task", cell::json::array()}};
    }
    std::vector<cell::Field> fields() const override { return {}; }
    void read(const cell::Reader&, const cell::Cell&, cell::Device& d) const override { d.look = cell::Look::arm; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<TaskRunner>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> arm_kind() { return std::make_unique<ArmKind>(); }

}  // namespace escarp::simulation
