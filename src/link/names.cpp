#include "names.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <mutex>
#include <set>

#include <cell/text/json.h>
#include <simulation/run_session.h>

#include "broker.h"

namespace escarp::link {

using cell::json;
using cell::Link;

NameMap::NameMap(const Link& link, const cell::Cell& cell) {
    std::vector<cell::Problem> wrong = cell::wrong_names(link, cell);
    if (!wrong.empty()) throw cell::InputError(std::move(wrong));
    for (const Link::Name& name : link.names) by_ours_[name.ours] = name;
}

const Link::Name* NameMap::of(const std::string& ours) const {
    const auto found = by_ours_.find(ours);
    return found == by_ours_.end() ? nullptr : &found->second;
}

const Link::Name* NameMap::of_signal(const cell::Cell& cell, int signal) const {
    const cell::Signal& s = cell.signals[static_cast<std::size_t>(signal)];
    return of(cell.devices[static_cast<std::size_t>(s.device)].id + "." + s.name);
}

double ours(const Link::Name& name, const cell::Signal& signal, double theirs) {
    if (signal.on_off()) return (theirs != 0) != (name.factor < 0) ? 1 : 0;
    return name.factor * theirs + name.offset;
}
double theirs(const Link::Name& name, const cell::Signal& signal, double ours) {
    if (signal.on_off()) return (ours != 0) != (name.factor < 0) ? 1 : 0;
    return (ours - name.offset) / name.factor;
}

JointsRead joints_in(const std::string& payload, const cell::Device& arm, const NameMap& names) {
    JointsRead out;
    const json said = json::parse(payload, nullptr, false);
    if (!said.is_object() || !said.contains("values") || !said["values"].is_array()) return out;
    const json& values = said["values"];
    const json called = said.contains("names") ? said["names"] : json::array();
    const json units = said.contains("units") ? said["units"] : json::array();
    const bool named = called.is_array() && !called.empty();
    const auto& joints = arm.arm->model->mechanism.joints;
    if (named && called.size() != values.size()) return out;
    if (!named && values.size() != joints.size()) return out;
    kinematics::JointVector q(static_cast<int>(joints.size()));
    bool good = true;
    std::set<std::size_t> used;
    for (std::size_t j = 0; j < joints.size(); ++j) {
        const bool slide = joints[j].type == kinematics::JointType::slide;
        const Link::Name* name = names.of(arm.id + "." + joints[j].name);
        std::size_t from = j;
        if (named) {
            const std::string& wanted = name ? name->theirs : joints[j].name;
            from = static_cast<std::size_t>(std::find(called.begin(), called.end(), json(wanted)) - called.begin());
            if (from == called.size()) {
                out.ours.push_back(arm.id + "." + joints[j].name);
                good = false;
                continue;
            }
        }
        used.insert(from);
        if (!values[from].is_number()) return out;
        std::string unit = name ? name->unit : "";
        if (unit.empty() && units.is_array() && from < units.size() && units[from].is_string())
            unit = units[from].get<std::string>();
        if (unit.empty()) unit = slide ? "mm" : "deg";
        const double to_own = unit == "deg" || unit == "mm" ? 1
                              : unit == "rad"               ? 180 / geometry::pi
                              : unit == "m"                 ? 1e3
                                                            : 0;
        if (to_own == 0 || slide != (unit == "mm" || unit == "m")) {
            good = false;
            continue;
        }
        const double own = to_own * values[from].get<double>();
        const double here = name ? name->factor * own + name->offset : own;
        q[static_cast<int>(j)] = here * (slide ? 1e-3 : geometry::pi / 180);
    }
    if (named)
        for (std::size_t i = 0; i < called.size(); ++i)
            if (!used.count(i) && called[i].is_string()) out.theirs.push_back(called[i].get<std::string>());
    if (good && q.allFinite()) out.q = q;
    return out;
}

class Listener::Work {
public:
    explicit Work(const Link& link) {
        wire::MqttOptions how = broker_of(link);
        how.subscriptions = {"#"};
        client_ = std::make_unique<wire::Mqtt>(how, [this](const std::string& topic, const std::string& payload) {
            constexpr std::size_t most_topics = 1000, most_bytes = 2000;
            const std::lock_guard<std::mutex> hold(mutex_);
            if (heard_.size() < most_topics || heard_.count(topic)) heard_[topic] = payload.substr(0, most_bytes);
        });
    }
    std::map<std::string, std::string> heard() const {
        const std::lock_guard<std::mutex> hold(mutex_);
        return heard_;
    }
    std::string words() const { return client_->status().words; }

private:
    mutable std::mutex mutex_;
    std::map<std::string, std::string> heard_;
    std::unique_ptr<wire::Mqtt> client_;  ///< last: its thread uses the others
};
Listener::Listener(const Link& link) : work_(std::make_unique<Work>(link)) {}
Listener::~Listener() = default;
std::map<std::string, std::string> Listener::heard() const { return work_->heard(); }
std::string Listener::words() const { return work_->words(); }

namespace {

std::string plain(const std::string& text) {
    std::string out;
    for (const char c : text)
        if (std::isalnum(static_cast<unsigned char>(c)))
            out.push_back(static_cast<char>(std::tolower(static_cast<unsigned char>(c))));
    return out;
}
/// Of two names, 0 to 1: letters and digits that both have in the same order (longest common subsequence).
double likeness(const std::string& one, const std::string& two) {
    const std::string a = plain(one), b = plain(two);
    if (a.empty() || b.empty()) return 0;
    std::vector<std::size_t> row(b.size() + 1, 0);
    for (const char c : a) {
        std::size_t diagonal = 0;
        for (std::size_t k = 1; k <= b.size(); ++k) {
            const std::size_t above = row[k];
            row[k] = c == b[k - 1] ? diagonal + 1 : std::max(row[k], row[k - 1]);
            diagonal = above;
        }
    }
    return 2.0 * static_cast<double>(row.back()) / static_cast<double>(a.size() + b.size());
}
constexpr double alike = 0.6;

std::string last_level(const std::string& topic) {
    const std::string bare =
        topic.size() > 4 && topic.rfind("/set") == topic.size() - 4 ? topic.substr(0, topic.size() - 4) : topic;
    const auto slash = bare.rfind('/');
    return slash == std::string::npos ? bare : bare.substr(slash + 1);
}
/// Of a topic and a device's signal: the device often is the level before.
double likeness_of_signal(const std::string& topic, const std::string& device, const std::string& signal) {
    const std::string last = last_level(topic);
    const auto at = topic.rfind("/" + last);
    const std::string before = at == std::string::npos ? std::string() : last_level(topic.substr(0, at));
    return std::max(
        {likeness(before + last, device + signal), likeness(last, device + signal), 0.8 * likeness(last, signal)});
}

/// The joints that a message tells of, if it does.
std::vector<std::string> joint_names(const std::string& payload, json* values) {
    const json said = json::parse(payload, nullptr, false);
    std::vector<std::string> out;
    if (!said.is_object() || !said.contains("names") || !said.contains("values")) return out;
    const json &names = said["names"], &all = said["values"];
    if (!names.is_array() || !all.is_array() || names.size() != all.size()) return out;
    for (const json& n : names)
        if (n.is_string()) out.push_back(n.get<std::string>());
    if (out.size() != names.size()) out.clear();
    else if (values) *values = said;
    return out;
}

}  // namespace

std::vector<std::string> joints_heard(
    const Link& link, const std::string& joint, const std::map<std::string, std::string>& heard) {
    for (const Link::Name& n : link.names)
        if (n.ours == joint.substr(0, joint.find('.')))
            if (const auto found = heard.find(n.theirs); found != heard.end())
                return joint_names(found->second, nullptr);
    return {};
}

Counterparts counterparts(
    const Link& link, const cell::Cell& cell, const std::map<std::string, std::string>& heard, Guess guess) {
    const bool guesses = guess != Guess::none;
    Counterparts out;
    std::map<std::string, Link::Name> said;
    std::set<std::string> taken;
    for (const Link::Name& n : link.names) said[n.ours] = n, taken.insert(n.theirs);
    const auto begin = [&](const std::string& ours) -> Counterpart {
        Counterpart c{ours, {}, false};
        c.name.ours = ours;
        if (const auto found = said.find(ours); found != said.end()) c.name = found->second, c.said = true;
        return c;
    };
    std::set<std::string> joint_topics;
    for (const auto& [topic, payload] : heard)
        if (!joint_names(payload, nullptr).empty()) joint_topics.insert(topic);
    for (const cell::Device& d : cell.devices) {
        if (!simulation::RunSession::can_follow(d)) continue;
        const auto& joints = d.arm->model->mechanism.joints;
        Counterpart arm = begin(d.id);
        if (!arm.said && guesses) {
            double best = 0;
            for (const std::string& topic : joint_topics) {
                if (taken.count(topic)) continue;
                const std::size_t count = joint_names(heard.at(topic), nullptr).size();
                const double like = likeness(topic, d.id) + (count == joints.size() ? 1 : 0);
                if (like > best) best = like, arm.name.theirs = topic;
            }
        }
        json message;
        std::vector<std::string> names;
        if (const auto found = heard.find(arm.name.theirs); found != heard.end()) {
            names = joint_names(found->second, &message);
            arm.heard = found->second.substr(0, 60);
            taken.insert(arm.name.theirs);
        }
        out.ours.push_back(arm);
        std::vector<Counterpart> own;
        std::set<std::string> used;
        for (const auto& joint : joints) {
            own.push_back(begin(d.id + "." + joint.name));
            if (own.back().said) used.insert(own.back().name.theirs);
        }
        for (std::size_t j = 0; j < joints.size(); ++j) {  // by their own names, then by likeness
            if (own[j].said || !guesses) continue;
            double best = alike;
            for (const std::string& name : names)
                if (const double like = name == joints[j].name ? 2 : likeness(name, joints[j].name);
                    !used.count(name) && like > best)
                    best = like, own[j].name.theirs = name;
            if (!own[j].name.theirs.empty()) used.insert(own[j].name.theirs);
        }
        for (std::size_t j = 0; j < joints.size(); ++j)  // its own name needs no mapping
            if (own[j].name.theirs.empty() && std::find(names.begin(), names.end(), joints[j].name) != names.end() &&
                used.insert(joints[j].name).second)
                own[j].name.theirs = joints[j].name;
        for (std::size_t j = 0; j < joints.size(); ++j) {  // by order
            if (guesses && own[j].name.theirs.empty() && j < names.size() && !used.count(names[j]))
                own[j].name.theirs = names[j], used.insert(names[j]);
            for (std::size_t i = 0; i < names.size(); ++i)
                if (names[i] == own[j].name.theirs) own[j].heard = message["values"][i].dump();
        }
        // Angles beyond a turn and a bit are no radians.
        const bool slides = std::any_of(
            joints.begin(), joints.end(), [](const auto& joint) { return joint.type == kinematics::JointType::slide; });
        if (guesses && !slides && !names.empty() && !message.contains("units")) {
            bool degrees = false;
            for (const json& v : message["values"])
                degrees = degrees || (v.is_number() && std::abs(v.get<double>()) > 7);
            if (!degrees)
                for (Counterpart& c : own)
                    if (!c.said) c.name.unit = "rad";
        }
        for (const std::string& name : names)
            if (!used.count(name)) out.theirs.push_back(arm.name.theirs + ": " + name);
        out.ours.insert(out.ours.end(), own.begin(), own.end());
    }
    for (const cell::Signal& s : cell.signals) {
        if (!s.heard_live()) continue;
        const cell::Device& d = cell.devices[static_cast<std::size_t>(s.device)];
        Counterpart c = begin(d.id + "." + s.name);
        if (!c.said && guesses) {
            double best = alike;
            for (const auto& [topic, payload] : heard) {
                if (taken.count(topic) || joint_topics.count(topic)) continue;
                const double like = likeness_of_signal(topic, d.id, s.name);
                if (like > best) best = like, c.name.theirs = topic;
            }
        }
        if (const auto found = heard.find(c.name.theirs); found != heard.end()) {
            c.heard = found->second.substr(0, 60);
            taken.insert(c.name.theirs);
        }
        out.ours.push_back(c);
    }
    for (const auto& [topic, payload] : heard)
        if (!taken.count(topic)) out.theirs.push_back(topic);
    return out;
}

json names_json(const Counterparts& all) {
    json out = json::array();
    for (const Counterpart& c : all.ours) {
        if (c.name.theirs.empty()) continue;
        const std::string own = c.ours.substr(c.ours.find('.') + 1);
        if (c.name.theirs == own && c.name.unit.empty() && c.name.factor == 1 && c.name.offset == 0) continue;
        json one{{"ours", c.ours}, {"theirs", c.name.theirs}};
        if (!c.name.unit.empty()) one["unit"] = c.name.unit;
        if (c.name.factor != 1) one["factor"] = c.name.factor;
        if (c.name.offset != 0) one["offset"] = c.name.offset;
        out.push_back(std::move(one));
    }
    return out;
}

}  // namespace escarp::link
