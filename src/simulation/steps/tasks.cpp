// Starting and ending tasks beside one's own, and waiting for them.

#include <algorithm>

#include <geometry/indices.h>
#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

using Type = cell::Field::Type;

class StartTaskStep final : public StepKind {
public:
    explicit StartTaskStep(bool starts) : starts_(starts) {}
    std::string id() const override { return starts_ ? "start_task" : "end_task"; }
    std::string label() const override { return starts_ ? "Start a side task" : "End a side task"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(Type::side_task, "task", "side task")};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        if (const int task = r.side_task("task"); task >= 0) s.tasks = {task};
        s.label = r.values().text("task");
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override {
        return (starts_ ? "Start " : "End ") + s.label;
    }
    cell::json fresh(const cell::Cell&, const cell::Device& owner) const override {
        return {{"task", any_side_task(owner)}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        TaskRunner& other = k.side_task(runner.index(), s.tasks.front());
        if (starts_) other.begin(k);
        else if (&other != &runner) other.halt(k);
        return Outcome::done;
    }
    static std::string any_side_task(const cell::Device& owner) {
        if (owner.side_tasks.empty())
            throw cell::InputError("step", "\"" + owner.name + "\" has no side task yet: add one on its card first.");
        return owner.side_tasks.front().id;
    }

private:
    const bool starts_;
};

/// Until one or all of several side tasks are over.
class JoinStep final : public StepKind {
public:
    std::string id() const override { return "join"; }
    std::string label() const override { return "Wait for side tasks"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(Type::side_task, "task", "until this is over").usually(""),
            cell::field::of(Type::side_task, "and", "and this").usually(""),
            cell::field::of(Type::side_task, "and_also", "and this, too").usually("")};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        for (const char* key : {"task", "and", "and_also"})
            if (!r.values().text(key).empty())
                if (const int task = r.side_task(key); task >= 0) s.tasks.push_back(task);
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        if (s.tasks.empty()) return "Wait for all side tasks";
        // The step stands in a task of the device whose side tasks are meant.
        std::string names;
        for (const cell::Device& d : cell.devices)
            if (s.path.rfind("devices/" + d.id + "/", 0) == 0)
                for (const int task : s.tasks) names += (names.empty() ? "" : " and ") + d.side_tasks[task].name;
        return "Wait for " + names;
    }
    cell::json fresh(const cell::Cell&, const cell::Device& owner) const override {
        return {{"task", StartTaskStep::any_side_task(owner)}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        std::vector<int> tasks = s.tasks;
        if (tasks.empty())
            for (const int i : indices(k.cell().devices[runner.index()].side_tasks))
                if (k.cell().devices[runner.index()].side_tasks[i].when_asked) tasks.push_back(i);
        const bool any = std::any_of(tasks.begin(), tasks.end(), [&](int task) {
            const TaskRunner& other = k.side_task(runner.index(), task);
            return &other != &runner && other.under_way();
        });
        return any ? Outcome::must_wait : Outcome::done;
    }
};

}  // namespace

std::unique_ptr<StepKind> start_task_step() { return std::make_unique<StartTaskStep>(true); }
std::unique_ptr<StepKind> end_task_step() { return std::make_unique<StartTaskStep>(false); }
std::unique_ptr<StepKind> join_step() { return std::make_unique<JoinStep>(); }

}  // namespace escarp::simulation
