#include "command.h"

#include <algorithm>
#include <condition_variable>
#include <mutex>
#include <thread>

#include <cell/text/numbers.h>
#include <cell/text/problem.h>
#include <geometry/indices.h>
#include <motion/detour.h>
#include <simulation/plan.h>
#include <simulation/scene.h>

#include "broker.h"

namespace escarp::link {

using kinematics::JointVector;

namespace {

std::string millimetres(double metres) { return cell::fixed(1e3 * metres, 0) + " mm"; }

/// All that is around an arm: what stands, and what else moves, where it is.
motion::Surroundings surroundings(
    const cell::Cell& cell, int arm, const simulation::ArmRoom& room, const std::map<int, JointVector>& others) {
    std::vector<motion::Obstacle> all = room.around->obstacles();
    const geometry::Frame to_base = cell.devices[arm].world.inverse();
    for (const int i : indices(cell.devices)) {
        const cell::Device& d = cell.devices[i];
        if (i == arm || !d.mover() || cell.stands_on(arm, i)) continue;
        const auto said = others.find(i);
        const simulation::Posed posed{d.id, said == others.end() ? d.mover()->ready : said->second};
        const simulation::Scene scene(cell, nullptr, nullptr, 0, &posed);
        scene.each_body(i, [&](const simulation::Scene::Placed& b) {
            if (b.link > 0 || (b.link == 0 && !d.arm) || b.of_tool) all.push_back({b.body.shape, to_base * b.at, 0, i});
        });
    }
    return motion::Surroundings(std::move(all));
}

std::optional<std::string> beyond_limits(const cell::Device& arm, const JointVector& q, const char* which) {
    const auto& joints = arm.arm->model->mechanism.joints;
    for (const int j : indices(joints)) {
        const double off = std::max(joints[j].low - q[j], q[j] - joints[j].high);
        if (off <= 1e-6) continue;
        const bool slide = joints[j].type == kinematics::JointType::slide;
        return arm.name + ": " + joints[j].name + " " + which + " " +
               cell::fixed(off * (slide ? 1e3 : 180 / geometry::pi), 1) + (slide ? " mm" : " deg") +
               " beyond its limit";
    }
    return std::nullopt;
}

}  // namespace

JudgedCommand judge(
    const cell::Cell& cell, const Command& command, const JointVector& now, const std::map<int, JointVector>& others) {
    const cell::Device& arm = cell.devices[command.device];
    JudgedCommand out;
    for (const auto& [q, which] : {std::pair{&now, "is"}, {&command.to, "would be"}})
        if (const auto beyond = beyond_limits(arm, *q, which)) {
            out.words = *beyond;
            return out;
        }
    const simulation::ArmRoom room = simulation::room_of(cell, command.device, {});
    const motion::Surroundings around = surroundings(cell, command.device, room, others);
    const motion::Room space(arm.arm->model->mechanism, room.parts, around, room.self_pairs);
    const auto blocker = [&] {
        return space.blocker() < 0 ? std::string("itself") : cell.devices[space.blocker()].name;
    };
    constexpr double touches = 1e-3;  // m: so near counts as touching
    if (!space.free(now, command.to, touches)) {
        out.words = arm.name + " would touch " + blocker() + " on its way";
        return out;
    }
    if (!space.free(now, command.to, room.need)) {
        out.words = arm.name + " would come nearer than " + millimetres(room.need) + " to " + blocker() + " on its way";
        if (!command.may_come_near) return out;
        out.keeps_m = touches;
    } else {
        out.words = "it keeps at least " + millimetres(room.need) + " from everything";
        out.keeps_m = room.need;
    }
    out.goes = true;
    out.motion = motion::joint_move(arm.arm->model->mechanism, now, command.to, command.speed, command.speed);
    return out;
}

class Commander::Work {
public:
    Work(const cell::Link& link, std::shared_ptr<const cell::Cell> cell)
        : cell_(std::move(cell)), names_(link, *cell_), rate_(link.joints_per_s > 0 ? link.joints_per_s : 50) {
        const std::string base = base_topic(link, *cell_);
        wire::MqttOptions how = broker_of(link);
        for (const int i : indices(cell_->devices)) {
            const cell::Device& d = cell_->devices[i];
            if (!d.mover()) continue;
            const cell::Link::Name* name = names_.of(d.id);
            const std::string topic = name ? name->theirs : base + "/" + d.id + "/joints";
            how.subscriptions.push_back(topic);
            by_topic_[topic] = i, set_topic_[i] = topic + "/set";
        }
        client_ = std::make_unique<wire::Mqtt>(
            how, [this](const std::string& topic, const std::string& payload) { hear(topic, payload); });
    }

    std::map<int, JointVector> where(int device, double patience_s, const std::atomic<bool>* stop) {
        using Clock = std::chrono::steady_clock;
        const auto until =
            Clock::now() + std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(patience_s));
        std::unique_lock<std::mutex> hold(mutex_);
        while (!where_.count(device) && Clock::now() < until && !(stop && *stop))
            heard_.wait_for(hold, std::chrono::milliseconds(50));
        return where_;
    }
    std::string words() const { return client_->status().words; }

    bool send(int device, const motion::Motion& motion, const std::atomic<bool>& stop,
        const std::function<void(double)>& told) {
        using Clock = std::chrono::steady_clock;
        const auto began = Clock::now();
        const cell::Device& d = cell_->devices[device];
        double t = 0;
        while (true) {
            if (stop || !client_->status().connected) return false;
            client_->publish(set_topic_[device], joints_message(d, motion.position(t), t), false);
            if (told) told(motion.duration() > 0 ? t / motion.duration() : 1);
            if (t >= motion.duration()) return true;
            std::this_thread::sleep_until(
                began + std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(t + 1 / rate_)));
            t = std::min(motion.duration(), std::chrono::duration<double>(Clock::now() - began).count());
        }
    }

private:
    void hear(const std::string& topic, const std::string& payload) {
        const auto found = by_topic_.find(topic);
        if (found == by_topic_.end()) return;
        const JointsRead read = joints_in(payload, cell_->devices[found->second], names_);
        if (!read.q) return;
        const std::lock_guard<std::mutex> hold(mutex_);
        where_[found->second] = *read.q;
        heard_.notify_all();
    }

    const std::shared_ptr<const cell::Cell> cell_;
    const NameMap names_;
    const double rate_;  ///< messages a second
    std::map<std::string, int> by_topic_;
    std::map<int, std::string> set_topic_;
    std::mutex mutex_;
    std::condition_variable heard_;
    std::map<int, JointVector> where_;
    std::unique_ptr<wire::Mqtt> client_;
};

Commander::Commander(const cell::Link& link, std::shared_ptr<const cell::Cell> cell) {
    if (link.protocol != cell::Link::Protocol::mqtt)
        throw cell::InputError("links/" + link.id, "Arms are told where to go over MQTT; this link is over Modbus.");
    work_ = std::make_unique<Work>(link, std::move(cell));
}
Commander::~Commander() = default;
std::map<int, JointVector> Commander::where(int device, double patience_s, const std::atomic<bool>* stop) {
    return work_->where(device, patience_s, stop);
}
std::string Commander::words() const { return work_->words(); }
bool Commander::send(
    int device, const motion::Motion& motion, const std::atomic<bool>& stop, const std::function<void(double)>& told) {
    return work_->send(device, motion, stop, told);
}

}  // namespace escarp::link
