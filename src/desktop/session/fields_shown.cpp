#include "fields_shown.h"

#include <algorithm>

#include <cell/text/content_key.h>

#include "step_back.h"

namespace escarp::desktop {

FieldsShown::FieldsShown(QObject* parent)
    : QObject(parent),
      at_work_(
          this,
          [](const Question& question, const motion::StopFlag& stop) {
              step_back();
              return question.work(stop);
          },
          [this] { take(); }) {}

std::shared_ptr<const kinematics::ReachField> FieldsShown::reach(const std::shared_ptr<const cell::Cell>& cell, int arm,
    double height, const std::optional<geometry::Matrix3>& orientation) {
    const cell::Arm& a = *cell->devices[arm].arm;
    cell::ContentKey key;
    key.add("reach").add(a.model_key).add(a.tool_frame).add(height);
    if (orientation) key.add(*orientation);
    const Field* known =
        find({key.value(), [cell, &a, height, orientation](const motion::StopFlag&) {
                  constexpr double fine = 0.025;
                  return Field{std::make_shared<const kinematics::ReachField>(kinematics::reach_field(*a.model,
                                   *a.solver, a.tool_frame, height, fine, orientation ? &*orientation : nullptr)),
                      nullptr};
              }});
    return known ? known->reach : nullptr;
}

std::shared_ptr<const inspection::BaseField> FieldsShown::base(
    const std::shared_ptr<const study::Evaluation>& evaluation, int arm, const cell::Device& now) {
    cell::ContentKey key;
    key.add("base").add(now.arm->model_key).add(now.world.translation().z()).add(now.world.linear());
    for (const inspection::PoseNeed& n : evaluation->inspection->poses)
        if (n.arm == arm) key.add(n.tool_world).add(n.approach).add(n.retreat);
    const Field* known =
        find({key.value(), [evaluation, arm](const motion::StopFlag& stop) {
                  inspection::BaseFieldOptions options;
                  options.stop = &stop;
                  return Field{nullptr, std::make_shared<const inspection::BaseField>(inspection::base_field(
                                            *evaluation->cell, arm, evaluation->inspection->poses, options))};
              }});
    return known ? known->base : nullptr;
}

const FieldsShown::Field* FieldsShown::find(Question question) {
    if (const auto known = kept_.find(question.key); known != kept_.end()) {
        known->second.used = ++uses_;
        return &known->second.field;
    }
    // While something is dragged they are asked for faster than they are found.
    constexpr std::size_t most = 8;
    if (at_work_.asked() == question || std::find(waiting_.begin(), waiting_.end(), question) != waiting_.end())
        return nullptr;
    waiting_.push_front(std::move(question));
    if (waiting_.size() > most) waiting_.pop_back();
    if (!at_work_.asked()) go_on();
    return nullptr;
}

void FieldsShown::go_on() {
    if (waiting_.empty()) return;
    at_work_.ask(waiting_.front());
    waiting_.pop_front();
}

void FieldsShown::take() {
    constexpr std::size_t most = 40;
    kept_[at_work_.asked()->key] = {*at_work_.answer(), ++uses_};
    if (kept_.size() > most)
        kept_.erase(std::min_element(
            kept_.begin(), kept_.end(), [](const auto& a, const auto& b) { return a.second.used < b.second.used; }));
    at_work_.forget();
    go_on();
    Q_EMIT found();
}

}  // namespace escarp::desktop
