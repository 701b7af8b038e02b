// The cell over MQTT: every signal under a topic of its own, joint values of what moves at a steady rate.

#include <algorithm>
#include <cmath>
#include <condition_variable>
#include <map>
#include <optional>
#include <set>

#include <cell/text/json.h>

#include "broker.h"
#include "connection.h"
#include "names.h"
#include "when_lost.h"

namespace escarp::link {
namespace {

using cell::json;

class OverMqtt final : public Connection {
public:
    OverMqtt(const cell::Link& link, LiveRun& run)
        : link_(link), run_(run), names_(link, run.cell()), base_(base_topic(link, run.cell())) {
        const cell::Cell& cell = run.cell();
        wire::MqttOptions how = broker_of(link);
        how.subscriptions = {base_ + "/+/+/set"};
        const auto called = [&](const cell::Link::Name* name, const std::string& own) {
            if (name) how.subscriptions.push_back(name->theirs);
            return name ? name->theirs : own;
        };
        for (std::size_t i = 0; i < cell.signals.size(); ++i) {
            const cell::Signal& s = cell.signals[i];
            const cell::Link::Name* name = names_.of_signal(cell, static_cast<int>(i));
            topics_.push_back(base_ + "/" + cell.devices[static_cast<std::size_t>(s.device)].id + "/" + s.name);
            if (s.heard_live()) commands_[called(name, topics_.back() + "/set")] = static_cast<int>(i);
            else if (name) topics_.back() = name->theirs;
        }
        for (std::size_t d = 0; d < cell.devices.size(); ++d)
            if (simulation::RunSession::can_follow(cell.devices[d]))
                followers_[called(names_.of(cell.devices[d].id), base_ + "/" + cell.devices[d].id + "/joints/set")] =
                    static_cast<int>(d);
        told_.assign(topics_.size(), std::nan(""));
        std::vector<int> heard;
        for (const auto& [topic, signal] : commands_) heard.push_back(signal);
        when_lost_.emplace(link_, std::move(heard), run_);
        how.presence = base_ + "/state";
        client_ = std::make_unique<wire::Mqtt>(
            how, [this](const std::string& topic, const std::string& payload) { hear(topic, payload); },
            [this] { again_ = true; });
        thread_ = std::thread([this] { work(); });
    }
    ~OverMqtt() override {
        {
            const std::lock_guard<std::mutex> hold(mutex_);
            stop_ = true;
        }
        wake_.notify_all();
        thread_.join();
    }
    LinkStatus status() const override {
        const wire::Mqtt::Status s = client_->status();
        const std::lock_guard<std::mutex> hold(unmatched_mutex_);
        return {s.connected, s.words, s.sent + s.heard, refused_ + s.dropped, s.lost,
            {unmatched_.begin(), unmatched_.end()}};
    }

private:
    /// `true`, `12.5`, or an object with "value".
    void hear(const std::string& topic, const std::string& payload) {
        if (const auto follower = followers_.find(topic); follower != followers_.end()) {
            const JointsRead read =
                joints_in(payload, run_.cell().devices[static_cast<std::size_t>(follower->second)], names_);
            if (read.q) run_.follow(follower->second, *read.q, link_.silence);
            else ++refused_;
            if (!read.ours.empty() || !read.theirs.empty()) without_counterpart(read);
            return;
        }
        const auto command = commands_.find(topic);
        if (command == commands_.end()) {
            ++refused_;
            return;
        }
        const json said = json::parse(payload, nullptr, false);
        const json& value = said.is_object() && said.contains("value") ? said["value"] : said;
        const cell::Signal& signal = run_.cell().signals[static_cast<std::size_t>(command->second)];
        const cell::Link::Name* name = names_.of_signal(run_.cell(), command->second);
        const auto take = [&](double said) { run_.hear({{command->second, name ? ours(*name, signal, said) : said}}); };
        const bool on_off = signal.on_off();
        if (on_off && value.is_boolean()) return take(value.get<bool>() ? 1 : 0);
        const bool number = value.is_number() && std::isfinite(value.get<double>());
        if (!number || (on_off && value.get<double>() != 0 && value.get<double>() != 1)) {
            ++refused_;
            return;
        }
        take(value.get<double>());
    }
    void without_counterpart(const JointsRead& read) {
        const std::lock_guard<std::mutex> hold(unmatched_mutex_);
        constexpr std::size_t most = 100;
        for (const std::string& one : read.ours)
            if (unmatched_.size() < most) unmatched_.insert(one + " is not in the message");
        for (const std::string& one : read.theirs)
            if (unmatched_.size() < most) unmatched_.insert("\"" + one + "\" is no joint here");
    }
    void tell_signals(double now) {
        if (again_.exchange(false)) told_.assign(told_.size(), std::nan(""));
        const std::vector<double> values = run_.values();
        for (std::size_t i = 0; i < values.size(); ++i) {
            if (values[i] == told_[i]) continue;
            told_[i] = values[i];
            const cell::Signal& signal = run_.cell().signals[i];
            const cell::Link::Name* name = names_.of_signal(run_.cell(), static_cast<int>(i));
            const double said = name ? theirs(*name, signal, values[i]) : values[i];
            const json value = signal.on_off() ? json(said != 0) : json(said);
            client_->publish(topics_[i], json{{"value", value}, {"t_s", now}}.dump(), true);
        }
    }
    void tell_joints() {
        const cell::Cell& cell = run_.cell();
        Ticks when = 0;
        for (const auto& [device, q] : run_.joints(when)) {
            const cell::Device& d = cell.devices[static_cast<std::size_t>(device)];
            client_->publish(base_ + "/" + d.id + "/joints", joints_message(d, q, simulation::seconds(when)), false);
        }
    }
    void work() {
        using Clock = std::chrono::steady_clock;
        const auto step = [](double s) {
            return std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(s));
        };
        auto next_joints = Clock::now();
        bool was_there = false;
        std::unique_lock<std::mutex> hold(mutex_);
        while (!stop_) {
            hold.unlock();
            const auto now = Clock::now();
            const bool connected = client_->status().connected;
            if (connected) when_lost_->there();
            else if (was_there) when_lost_->lost();
            was_there = was_there || connected;
            if (connected) {
                tell_signals(simulation::seconds(run_.status().now));
                if (link_.joints_per_s > 0 && now >= next_joints) {
                    tell_joints();
                    next_joints = std::max(next_joints + step(1 / link_.joints_per_s), now);
                }
            }
            hold.lock();
            const double wait = link_.joints_per_s > 0 ? std::min(link_.every, 1 / link_.joints_per_s) : link_.every;
            wake_.wait_until(hold, now + step(wait), [this] { return stop_; });
        }
    }

    const cell::Link link_;
    LiveRun& run_;
    const NameMap names_;
    const std::string base_;
    std::vector<std::string> topics_;       ///< by signal
    std::map<std::string, int> commands_;   ///< signal by the topic that sets it
    std::map<std::string, int> followers_;  ///< arm by the topic that says where it is
    std::vector<double> told_;              ///< values as they were published last; not a number: not yet
    std::optional<WhenLost> when_lost_;
    std::atomic<bool> again_ = false;  ///< connected anew: everything is told
    std::atomic<long> refused_ = 0;
    mutable std::mutex unmatched_mutex_;
    std::set<std::string> unmatched_;  ///< names without a counterpart, in words
    std::mutex mutex_;
    std::condition_variable wake_;
    bool stop_ = false;
    std::unique_ptr<wire::Mqtt> client_;
    std::thread thread_;
};

}  // namespace

std::unique_ptr<Connection> mqtt(const cell::Link& link, LiveRun& run, bool lock_step) {
    if (lock_step)
        throw cell::InputError(
            "links/" + link.id, "MQTT has no lock-step; the wall clock, or a link over Modbus, is expected.");
    return std::make_unique<OverMqtt>(link, run);
}

}  // namespace escarp::link
