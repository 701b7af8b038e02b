// Commands about the connections of a cell.

#include <atomic>
#include <chrono>
#include <cmath>
#include <csignal>
#include <sstream>
#include <thread>

#include <cell/read/by_hand.h>
#include <cell/text/numbers.h>
#include <link/address_table.h>
#include <link/command.h>
#include <link/connection.h>
#include <link/names.h>

#include "held_cell.h"
#include "live.h"

namespace escarp::cli {

const cell::Link& link_of(const cell::Cell& cell, const std::string& id) {
    std::string known;
    for (const cell::Link& l : cell.links) {
        if (l.id == id || l.name == id) return l;
        known += (known.empty() ? "" : ", ") + l.id;
    }
    throw cell::InputError("--link", "\"" + id + "\" is no link of this cell; it has " +
                                         (known.empty() ? "none (see the edit \"add link\")" : known) + ".");
}

void check_reach(const cell::Link& l, const Arguments& a) {
    if (l.loopback() || a.network) return;
    throw cell::InputError("links/" + l.id + "/host",
        "\"" + l.host + "\" can be reached by others, or is another machine; say --network if that is meant.");
}

json status_json(const cell::Link& l, const link::LinkStatus& s) {
    return {{"link", l.id}, {"protocol", word(l.protocol)}, {"at", l.host + ":" + std::to_string(l.port)},
        {"connected", s.connected}, {"state", s.words}, {"exchanges", s.exchanges}, {"refused", s.refused},
        {"lost", s.lost}, {"without_counterpart", s.unmatched}};
}

int link_list(Arguments& a) {
    const cell::Document d = opened(a);
    const auto c = simulation::layout(d, a.variant).shared_cell();
    json all = json::array();
    for (const cell::Link& l : c->links) {
        all.push_back({{"link", l.id}, {"name", l.name}, {"protocol", word(l.protocol)}, {"host", l.host},
            {"port", l.port}, {"unit", l.unit}, {"loopback", l.loopback()}});
        if (!a.as_json)
            std::cout << l.id << "  " << word(l.protocol) << " at " << l.host << ":" << l.port << ", unit " << l.unit
                      << (l.loopback() ? "" : " (open to other machines)") << "\n";
    }
    std::string outside;
    for (const int s : link::outside_signals(*c))
        outside += "  " + c->full_name(c->signals[static_cast<std::size_t>(s)]) + "\n";
    if (a.as_json) print({{"links", all}});
    else {
        if (all.empty()) std::cout << "no links; the edit \"add link\" makes one\n";
        std::cout << (outside.empty() ? "no signal is set from outside alone\n"
                                      : "set from outside alone:\n" + outside);
    }
    return 0;
}

int link_table(Arguments& a) {
    const cell::Document d = opened(a);
    const auto c = simulation::layout(d, a.variant).shared_cell();
    const link::AddressTable table = link::address_table(*c);
    const std::string csv = link::address_csv(*c, table);
    for (const std::string& p : table.problems) std::cerr << p << "\n";
    if (!a.out.empty()) {
        cell::check_target(a.out, {"csv"}, {a.file});
        cell::write_file(a.out, csv);
    } else if (a.as_json) {
        json rows = json::array();
        for (const link::Address& r : table.rows)
            rows.push_back({{"signal", c->full_name(c->signals[static_cast<std::size_t>(r.signal)])},
                {"address", r.direct}, {"controller", r.controller_sets ? "sets" : "reads"},
                {"as_server", link::place_words(r, true)}, {"as_client", link::place_words(r, false)}});
        print({{"rows", rows}, {"problems", table.problems}});
    } else {
        std::cout << csv;
    }
    return table.problems.empty() ? 0 : 1;
}

int link_test(Arguments& a) {
    const cell::Document d = opened(a);
    const auto c = simulation::layout(d, a.variant).shared_cell();
    const cell::Link& l = link_of(*c, a.name);
    check_reach(l, a);
    link::LiveOptions how;
    how.end = simulation::ticks(a.seconds > 0 ? a.seconds : 3);
    link::LiveRun run(c, how);
    std::unique_ptr<link::Connection> connection;
    try {
        connection = link::connect(l, run, false);
    } catch (const wire::WireError& problem) {
        throw cell::InputError("links/" + l.id, problem.what());
    }
    while (!run.wait(0.1) && !(connection->status().connected && connection->status().exchanges > 2)) {
    }
    const link::LinkStatus s = connection->status();
    if (a.as_json) {
        print(status_json(l, s));
    } else {
        std::cout << l.id << ": " << s.words << ", " << s.exchanges << " exchanges\n";
        for (const std::string& one : s.unmatched) std::cout << "  " << one << "\n";
    }
    return s.exchanges > 0 ? 0 : 1;
}

namespace {

std::atomic<bool> stop_sending{false};

/// Where a command brings an arm to, from where it is now.
kinematics::JointVector target_of(
    const Arguments& a, const cell::Device& arm, const cell::Cell& cell, const kinematics::JointVector& now) {
    const auto& joints = arm.arm->model->mechanism.joints;
    if (a.pose.empty()) {
        std::vector<double> values;
        std::istringstream words(a.joints);
        for (std::string one; std::getline(words, one, ',');) {
            char* end = nullptr;
            values.push_back(std::strtod(one.c_str(), &end));
            if (end == one.c_str() || !std::isfinite(values.back()))
                throw cell::InputError("--joints", "\"" + one + "\" is no number.");
        }
        if (values.size() != joints.size())
            throw cell::InputError("--joints", std::to_string(joints.size()) + " values are expected, a joint each; " +
                                                   std::to_string(values.size()) + " are there.");
        kinematics::JointVector q(values.size());
        for (std::size_t j = 0; j < values.size(); ++j)
            q[static_cast<int>(j)] =
                values[j] * (joints[j].type == kinematics::JointType::slide ? 1e-3 : geometry::pi / 180);
        return q;
    }
    const cell::Pose* pose = arm.pose(a.pose);
    if (!pose) throw cell::InputError("--pose", "\"" + a.pose + "\" is no pose of " + arm.name + ".");
    if (pose->joints) return *pose->joints;
    const int of = pose->relative_to.empty() ? -1 : cell.device(pose->relative_to);
    const geometry::Frame world = of < 0 ? pose->at : cell.devices[static_cast<std::size_t>(of)].world * pose->at;
    const cell::Brought brought = cell::bring_tool(arm, now, world, true);
    if (!brought.q) throw cell::InputError("--pose", arm.name + " cannot reach the pose \"" + a.pose + "\".");
    return *brought.q;
}

}  // namespace

int link_send(Arguments& a) {
    const cell::Document d = opened(a);
    const auto c = simulation::layout(d, a.variant).shared_cell();
    const cell::Link& l = link_of(*c, a.name);
    check_reach(l, a);
    const int index = c->device(a.arm);
    if (index < 0 || !c->devices[static_cast<std::size_t>(index)].arm)
        throw cell::InputError("--arm", "\"" + a.arm + "\" is not the id of an arm of this cell.");
    if (a.pose.empty() && a.joints.empty())
        throw cell::InputError("--pose", "Where it goes is expected: --pose or --joints.");
    const cell::Device& arm = c->devices[static_cast<std::size_t>(index)];
    std::signal(SIGINT, [](int) { stop_sending = true; });
    std::signal(SIGTERM, [](int) { stop_sending = true; });
    link::Commander commander(l, c);
    const auto where = commander.where(index, a.seconds > 0 ? a.seconds : 3, &stop_sending);
    if (!where.count(index))
        throw cell::InputError("links/" + l.id, "Nobody says where " + arm.name + " is (" + commander.words() +
                                                    "); nothing was sent. Its joint values are expected at the broker, "
                                                    "by their names or by those that the link says.");
    link::Command command{index, target_of(a, arm, *c, where.at(index)), 0.01 * a.speed_pct, a.come_near};
    const link::JudgedCommand judged = link::judge(*c, command, where.at(index), where);
    bool sent = false;
    if (judged.goes && !a.try_only) sent = commander.send(index, *judged.motion, stop_sending);
    const std::string end = !judged.goes ? "refused, nothing was sent"
                            : a.try_only ? "it could be sent"
                            : sent       ? "sent"
                                         : "stopped on the way";
    if (a.as_json)
        print({{"goes", judged.goes}, {"words", judged.words}, {"sent", sent}, {"end", end},
            {"takes_s", judged.motion ? json(judged.motion->duration()) : json()}});
    else
        std::cout << arm.name << ": " << end << "; " << judged.words
                  << (judged.motion ? ", " + cell::fixed(judged.motion->duration(), 2) + " s" : std::string()) << "\n"
                  << "This is no safety function: whoever stands at the arm has its emergency stop in hand.\n";
    return judged.goes && (sent || a.try_only) ? 0 : 1;
}

int link_names(Arguments& a) {
    const cell::Document d = opened(a);
    const cell::Layout layout = simulation::layout(d, a.variant);
    const auto c = layout.shared_cell();
    const cell::Link& l = link_of(*c, a.name);
    if (l.protocol != cell::Link::Protocol::mqtt)
        throw cell::InputError("links/" + l.id,
            "Modbus knows no names: signals lie at the addresses of the I/O list (see \"link table\").");
    check_reach(l, a);
    const link::NameMap valid(l, *c);
    const link::Listener listener(l);
    const auto until = std::chrono::steady_clock::now() + std::chrono::duration<double>(a.seconds > 0 ? a.seconds : 3);
    while (std::chrono::steady_clock::now() < until) std::this_thread::sleep_for(std::chrono::milliseconds(50));
    const auto heard = listener.heard();
    if (heard.empty())
        throw cell::InputError("links/" + l.id, "Nothing was told there (" + listener.words() +
                                                    "). The other side is expected to be running; \"--for 30\" listens "
                                                    "longer.");
    const link::Counterparts all = link::counterparts(l, *c, heard);
    json ours = json::array();
    for (const link::Counterpart& one : all.ours) {
        json j{{"ours", one.ours}, {"theirs", one.name.theirs.empty() ? json() : json(one.name.theirs)},
            {"unit", one.name.unit}, {"factor", one.name.factor}, {"offset", one.name.offset}, {"said", one.said},
            {"heard", one.heard}};
        ours.push_back(std::move(j));
        if (a.as_json) continue;
        char line[300];
        std::snprintf(line, sizeof line, "%-28s %-36s %-4s %s%s\n", one.ours.c_str(),
            one.name.theirs.empty() ? "-" : one.name.theirs.c_str(), one.name.unit.c_str(),
            one.name.theirs.empty() ? "nothing like it was heard"
            : one.said              ? "said"
                                    : "proposed",
            one.heard.empty() ? "" : (", " + one.heard).c_str());
        std::cout << line;
    }
    if (a.as_json) print({{"ours", ours}, {"theirs_without_counterpart", all.theirs}});
    else if (!all.theirs.empty()) {
        std::cout << "outside, without a counterpart:\n";
        for (const std::string& t : all.theirs) std::cout << "  " << t << "\n";
    }
    if (!a.write) return 0;
    const cell::Edit edit{"Names of " + l.name, {cell::Operation::set("/links/" + l.id + "/names", names_json(all))}};
    HeldCell held(a);
    held.edit(held.document().edited(held.document().baseline(), edit), edit.name);
    held.save();
    std::cerr << "the names are in " << a.file << "\n";
    return 0;
}

}  // namespace escarp::cli
