#include "watching.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>

#include <cell/text/content_key.h>

#include "arm_parts.h"
#include "touching.h"

namespace escarp::simulation {
namespace {

/// Made exactly while the solid of some detected part touches what is watched. When a part's motion changes, the
/// instants at which it will cross are worked out ahead; nothing is polled.
class Watching final : public Behaves<Watching> {
public:
    Watching(const cell::Device& d, int index, Watched watched)
        : Acts(d, index),
          watched_(std::move(watched)),
          still_(Frame::Identity(), motion::part_set({{0, watched_.shape, Frame::Identity(), {}, 0}})) {
        key_.add(watched_.by_origin).add(watched_.middle).add(watched_.reach);
        cell::add_shape(key_, watched_.shape);
    }

    bool watches() const override { return true; }
    Pace pace() const override { return Pace::by_clock; }
    bool random() const override { return watched_.random; }
    /// What it sees of what always stands there.
    void start(Kernel& k) override {
        if (watched_.tells_itself) watched_.told(k, {});
    }

    void moved(Kernel& k, int part) override {
        const PartRecord& record = k.trace().parts[part];
        if (!looks_for(record.type)) return;
        for (const EventKey& e : pending_[part]) k.cancel(e);
        pending_.erase(part);
        const Place& place = record.places.back();
        Intervals crossing;
        if (place.kind == Place::Kind::held) crossing = while_held(k, part, place);
        else if (place.kind == Place::Kind::still)
            crossing = place.stop > k.now() ? while_riding(k, part, place) : while_still(k, part, place);
        crossing = joined(std::move(crossing));
        const bool now_inside = !crossing.empty() && crossing.front().first <= 0;
        change(k, part, now_inside);
        if (now_inside && watched_.update > 0) look_later(k);  // it moves on differently
        for (const auto& [on, off] : crossing) {
            if (on > 0) pending_[part].push_back(k.at(k.now() + ticks(on), *this, made_event, part));
            if (off < 1e9) pending_[part].push_back(k.at(k.now() + ticks(off), *this, left_event, part));
        }
    }

    void event(Kernel& k, int what, int part) override {
        if (what == switch_event) {
            due_ = never;
            k.set_signal(signal(0), watched_.update > 0 ? !told_.empty() : sees(k));
            return;
        }
        if (what == look_event) return look(k);
        if (what == tell_event) return tell(k);
        auto& list = pending_[part];
        std::erase_if(list, [&](const EventKey& e) { return e.when <= k.now() && e.what == what; });
        if (list.empty()) pending_.erase(part);
        k.set_cause(carrier(k, part));
        change(k, part, what == made_event);
    }
    bool poll(Kernel& k) override {
        const bool enabled = k.on(signal(enable_signal));
        if (std::exchange(enabled_, enabled) == enabled) return false;
        changed(k);
        return true;
    }
    void write_state(StateWriter& w) const override {
        for (const int part : inside_) w.add_part(part);
        w.add_time(due_);
        if (watched_.update <= 0) return;
        w.add_time(looks_);
        for (const int part : told_) w.add_part(part);
        for (const std::vector<int>& seen : seen_) {
            w.add(static_cast<std::int64_t>(seen.size()));
            for (const int part : seen) w.add_part(part);
        }
    }

private:
    static constexpr int enable_signal = 1, count_signal = 2;  ///< in the order of the kind's signals
    static constexpr int made_event = 0, left_event = 1, switch_event = 2, look_event = 3, tell_event = 4;

    bool looks_for(int type) const {
        if (!watched_.types.empty())
            return std::find(watched_.types.begin(), watched_.types.end(), type) != watched_.types.end();
        return watched_.only < 0 || type == watched_.only;
    }
    const geometry::Bodies& bodies(const cell::PartType& type) const {
        static const geometry::Bodies origin{{"origin", geometry::Convex::sphere(1e-6), Frame::Identity()}};
        return watched_.by_origin ? origin : type.bodies;
    }
    /// Of a part of several bodies: it is there as long as any of them is.
    static Intervals joined(Intervals each) {
        std::sort(each.begin(), each.end());
        Intervals all;
        for (const auto& [on, off] : each) {
            if (!all.empty() && on <= all.back().second) all.back().second = std::max(all.back().second, off);
            else all.emplace_back(on, off);
        }
        return all;
    }
    /// What is there has changed.
    void changed(Kernel& k) {
        if (watched_.update > 0) return look_later(k);
        tell_count(k);
        renew(k);
    }
    bool moving(const Kernel& k, int part) const {
        const Place& place = k.trace().parts[part].places.back();
        if (place.kind == Place::Kind::still) return place.stop > k.now();
        return true;
    }
    /// At the next instant at which it looks.
    void look_later(Kernel& k) {
        if (looks_ != never) return;
        const Ticks update = std::max<Ticks>(1, ticks(watched_.update));
        looks_ = (k.now() + update - 1) / update * update;
        k.at(looks_, *this, look_event);
    }
    void look(Kernel& k) {
        looks_ = never;
        std::vector<int> seen;
        if (k.on(signal(enable_signal)))
            for (const int part : inside_)
                if (!watched_.visible || watched_.visible(k, part)) seen.push_back(part);
        // Parts that stand are seen as they were.
        const bool moves = std::any_of(inside_.begin(), inside_.end(), [&](int part) { return moving(k, part); });
        const bool again = moves && (watched_.each_time || watched_.visible);
        const std::vector<int>& last = seen_.empty() ? told_ : seen_.back();
        if (seen != last || watched_.each_time) {
            seen_.push_back(std::move(seen));
            k.at(k.now() + ticks(watched_.latency), *this, tell_event);
        }
        if (!again) return;
        looks_ = k.now() + std::max<Ticks>(1, ticks(watched_.update));
        k.at(looks_, *this, look_event);
    }
    void tell(Kernel& k) {
        told_ = std::move(seen_.front());
        seen_.pop_front();
        if (watched_.counts) k.set_signal(signal(count_signal), static_cast<double>(told_.size()));
        if (!watched_.tells_itself) renew(k);
        if (watched_.told) watched_.told(k, told_);
    }

    /// The block that moves a part now: why it changes.
    int carrier(const Kernel& k, int part) const {
        const auto& blocks = k.trace().blocks;
        for (int i = static_cast<int>(blocks.size()) - 1; i >= 0 && i > static_cast<int>(blocks.size()) - 200; --i)
            if (blocks[i].part == part && blocks[i].to == never) return i;
        return -1;
    }
    void change(Kernel& k, int part, bool inside) {
        const auto at = std::lower_bound(inside_.begin(), inside_.end(), part);
        const bool was = at != inside_.end() && *at == part;
        if (was == inside) return;
        if (inside) inside_.insert(at, part);
        else inside_.erase(at);
        changed(k);
    }
    bool sees(const Kernel& k) const { return !inside_.empty() && k.on(signal(enable_signal)); }
    void tell_count(Kernel& k) {
        if (!watched_.counts) return;
        k.set_signal(signal(count_signal), k.on(signal(enable_signal)) ? static_cast<double>(inside_.size()) : 0.0);
    }
    void renew(Kernel& k) {
        const bool made = watched_.update > 0 ? !told_.empty() : sees(k);
        if (due_ != never) k.cancel(switch_), due_ = never;
        if (made == k.on(signal(0))) return;
        const double delay = made ? watched_.on_delay : watched_.off_delay;
        if (delay <= 0) return k.set_signal(signal(0), made);
        due_ = k.now() + ticks(delay);
        switch_ = k.at(due_, *this, switch_event);
    }
    bool touches(const cell::PartType& type, const Frame& at) const {
        return std::any_of(bodies(type).begin(), bodies(type).end(), [&](const geometry::Body& b) {
            const Frame stands = at * b.at;
            const double apart = (stands * b.shape.centre() - watched_.middle).norm();
            if (apart > b.shape.bound() + watched_.reach + 1e-6) return false;
            return geometry::separation(b.shape, stands, watched_.shape, Frame::Identity()).distance <= 0;
        });
    }
    Intervals while_still(const Kernel& k, int part, const Place& p) const {
        return touches(k.type_of(part), p.at()) ? Intervals{{0, 1e300}} : Intervals{};
    }
    /// Along a straight ride the distance of two convex bodies is a convex function of the way: find its least value,
    /// then both ends of the contact.
    Intervals while_riding(Kernel& k, int part, const Place& p) {
        const cell::PartType& type = k.type_of(part);
        if (p.glide().turn_rate != 0) return while_turning(k, type, p, seconds(p.stop - k.now()));
        const double duration = seconds(p.stop - k.now()), speed = p.glide().velocity.norm();
        const Vector3 along = p.glide().velocity / speed;
        // One search per line of travel: positions are measured along it from the foot of the shape's middle.
        const Vector3 middle = watched_.middle;
        const double now_at = (p.origin - middle).dot(along);
        Frame foot = p.at();
        foot.translation() -= now_at * along;
        cell::ContentKey key;  // to the nanometre: of this run alone, so that what was run before changes nothing
        key.add(type.shape_key);
        for (const double v :
            {foot.translation().x(), foot.translation().y(), foot.translation().z(), along.x(), along.y(), along.z()})
            key.add(std::llround(v * 1e9));
        for (int i = 0; i < 9; ++i) key.add(std::llround(foot.linear()(i % 3, i / 3) * 1e9));
        const Intervals contacts = remembered(key.value(), [&] {
            Intervals all;
            for (const geometry::Body& b : bodies(type)) {
                const auto gap = [&](double s) {
                    Frame at = foot * b.at;
                    at.translation() += s * along;
                    return geometry::separation(b.shape, at, watched_.shape, Frame::Identity()).distance;
                };
                // They can touch no farther from the foot than this.
                const double farthest = watched_.reach + (foot.translation() - middle).norm() +
                                        (b.at * b.shape.centre()).norm() + b.shape.bound() + 0.1;
                double low = -farthest, high = farthest;
                for (int i = 0; i < 100; ++i) {
                    const double a = low + (high - low) / 3, c = high - (high - low) / 3;
                    if (gap(a) <= gap(c)) high = c;
                    else low = a;
                }
                const double nearest = 0.5 * (low + high);
                if (gap(nearest) > 1e-9) continue;
                const auto edge = [&](double out) {
                    double in = nearest;
                    while (std::abs(out - in) > 1e-9) (gap(0.5 * (in + out)) > 0 ? out : in) = 0.5 * (in + out);
                    return in;
                };
                all.emplace_back(edge(nearest - 2 * farthest), edge(nearest + 2 * farthest));
            }
            std::sort(all.begin(), all.end());
            return all;
        });
        Intervals times;
        for (const auto& [from, to] : contacts) {
            const double on = p.glide().when(std::max(0.0, (from - now_at) / speed)),
                         off = p.glide().when((to - now_at) / speed);
            if (off <= 0 || on > duration) continue;
            times.emplace_back(on, off >= duration ? 1e300 : off);  // it stops inside
        }
        return times;
    }
    /// On an arc the distance need not be convex: contact by branch and bound.
    Intervals while_turning(Kernel& k, const cell::PartType& type, const Place& p, double duration) const {
        cell::ContentKey key = key_;
        key.add(type.shape_key)
            .add(p.at())
            .add(p.glide().velocity)
            .add(p.glide().turn_rate)
            .add(p.glide().centre)
            .add(p.glide().axis)
            .add(p.glide().share)
            .add(p.glide().ramp)
            .add(duration);
        return k.plans().touching(key.value(), [&] {
            std::vector<motion::Part> parts;
            for (const geometry::Body& b : bodies(type)) parts.push_back({0, b.shape, b.at, {}, 0});
            const motion::GlideMover rider(p.at(), motion::part_set(std::move(parts)), p.glide());
            return touching(rider, still_, duration);
        });
    }
    Intervals while_held(Kernel& k, int part, const Place& p) const {
        const MotionRecord& m = k.trace().motions[p.device].back();
        const cell::Device& arm = k.cell().devices[p.device];
        // The links' bodies play no part.
        cell::ContentKey key = key_;
        key.add(m.motion->serial()).add(arm.mover()->model_key).add(arm.world);
        key.add(k.type_of(part).shape_key).add(p.at());
        return k.plans().touching(key.value(), [&] {
            const motion::ArmMover carried(arm.mover()->model->mechanism, arm.world, m.motion, 0,
                motion::part_set(held_parts(*arm.mover(), bodies(k.type_of(part)), p.at())));
            return touching(carried, still_, m.motion->duration());
        });
    }
    template <typename Make>
    Intervals remembered(std::uint64_t key, const Make& make) {
        if (const auto found = known_->find(key)) return *found;
        Intervals made = make();
        const std::size_t bytes = made.size() * sizeof(made[0]);
        return known_->keep(key, std::move(made), bytes);
    }

    const Watched watched_;
    motion::GlideMover still_;
    cell::ContentKey key_;                                ///< of what is watched
    static constexpr std::size_t most_known = 4'000'000;  // bytes
    /// What was worked out before of lines that parts ride on; copies share it, whichever thread they are asked in.
    std::shared_ptr<cell::Kept<Intervals>> known_ = std::make_shared<cell::Kept<Intervals>>(most_known);
    std::vector<int> inside_;
    std::map<int, std::vector<EventKey>> pending_;
    bool enabled_ = true;
    EventKey switch_{};
    Ticks due_ = never;
    Ticks looks_ = never;                ///< the next time
    std::deque<std::vector<int>> seen_;  ///< what it has seen and not told yet
    std::vector<int> told_;
};

}  // namespace

std::unique_ptr<Behaviour> watching(const cell::Device& device, int index, Watched watched) {
    return std::make_unique<Watching>(device, index, std::move(watched));
}

}  // namespace escarp::simulation
