#include "fields_shown.h"

#include <algorithm>

#include <cell/text/content_key.h>

#include "step_back.h"

namespace escarp::desktop {

FieldsShown::FieldsShown(QObject* parent) : QObject(parent), thread_([this] { run(); }) {}

FieldsShown::~FieldsShown() {
    {
        const std::lock_guard guard(lock_);
        quit_ = true, stop_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

std::shared_ptr<const kinematics::ReachField> FieldsShown::reach(const std::shared_ptr<const cell::Cell>& cell,
    int arm, double height, const std::optional<geometry::Matrix3>& orientation) {
    const cell::Arm& a = *cell->devices[arm].arm;
    cell::ContentKey key;
    key.add("reach").add(a.model_key).add(a.tool_frame).add(height);
    if (orientation) key.add(*orientation);
    const Field* known = find(key.value(), [cell, &a, height, orientation](const motion::StopFlag&) {
        constexpr double fine = 0.025;
        return Field{std::make_shared<const kinematics::ReachField>(kinematics::reach_field(*a.model, *a.solver,
                         a.tool_frame, height, fine, orientation ? &*orientation : nullptr)),
            nullptr};
    });
    return known ? known->reach : nullptr;
}

std::shared_ptr<const inspection::BaseField> FieldsShown::base(
    const std::shared_ptr<const study::Evaluation>& evaluation, int arm, const cell::Device& now) {
    cell::ContentKey key;
    key.add("base").add(now.arm->model_key).add(now.world.translation().z()).add(now.world.linear());
    for (const inspection::PoseNeed& n : evaluation->inspection->poses)
        if (n.arm == arm) key.add(n.tool_world).add(n.approach).add(n.retreat);
    const Field* known = find(key.value(), [evaluation, arm](const motion::StopFlag& stop) {
        inspection::BaseFieldOptions options;
        options.stop = &stop;
        return Field{nullptr, std::make_shared<const inspection::BaseField>(inspection::base_field(
                                  *evaluation->cell, arm, evaluation->inspection->poses, options))};
    });
    return known ? known->base : nullptr;
}

const FieldsShown::Field* FieldsShown::find(std::uint64_t key, Work work) {
    if (const auto known = kept_.find(key); known != kept_.end()) {
        known->second.used = ++uses_;
        return &known->second.field;
    }
    if (!under_way_.insert(key).second) return nullptr;
    {
        // While something is dragged they are asked for faster than they are found.
        constexpr std::size_t most = 8;
        const std::lock_guard guard(lock_);
        waiting_.push_front({key, std::move(work)});
        if (waiting_.size() > most) {
            under_way_.erase(waiting_.back().key);
            waiting_.pop_back();
        }
    }
    wake_.notify_all();
    return nullptr;
}

void FieldsShown::run() {
    step_back();
    while (true) {
        Job job;
        {
            std::unique_lock hold(lock_);
            wake_.wait(hold, [this] { return quit_ || !waiting_.empty(); });
            if (quit_) return;
            job = std::move(waiting_.front());
            waiting_.pop_front();
        }
        Field field;
        try {
            field = job.work(stop_);
        } catch (const motion::Cancelled&) {
            return;
        } catch (const std::bad_alloc&) {  // it stays unknown
        }
        QMetaObject::invokeMethod(this, [this, key = job.key, field = std::move(field)] {
            constexpr std::size_t most = 40;
            kept_[key] = {field, ++uses_};
            if (kept_.size() > most)
                kept_.erase(std::min_element(kept_.begin(), kept_.end(),
                    [](const auto& a, const auto& b) { return a.second.used < b.second.used; }));
            under_way_.erase(key);
            Q_EMIT found();
        });
    }
}

}  // namespace escarp::desktop
