#pragma once
// What is called, or counted, otherwise at the other end of a link: the names that a link gives, what was heard there,
// and a proposal which is which.

#include <map>
#include <memory>

#include <cell/model/cell.h>

namespace escarp::link {

/// A link's names, looked up from either side.
class NameMap {
public:
    /// Throws InputError where a name is of nothing in this cell.
    NameMap(const cell::Link& link, const cell::Cell& cell);

    /// Null: it goes by its own name.
    const cell::Link::Name* of(const std::string& ours) const;
    const cell::Link::Name* of_signal(const cell::Cell& cell, int signal) const;

private:
    std::map<std::string, cell::Link::Name> by_ours_;
};

/// Of a number signal, in its own unit; on/off is turned round by a factor below 0.
double ours(const cell::Link::Name& name, const cell::Signal& signal, double theirs);
double theirs(const cell::Link::Name& name, const cell::Signal& signal, double ours);

/// Joint values out of a message, and what of it has no counterpart.
struct JointsRead {
    std::optional<kinematics::JointVector> q;  ///< rad and m; nothing where it is none, or lacks a joint
    std::vector<std::string> ours, theirs;     ///< names without a counterpart
};
/// `{"names": [...], "values": [...], "units": [...]}`: names in any order; the unit that a name of the link says, else
/// that of the message, else deg and mm; without names in the arm's own order. Every joint has to be there.
JointsRead joints_in(const std::string& payload, const cell::Device& arm, const NameMap& names);

/// What is told at a broker: topics, the latest message of each, cut to some 2 kB; 1000 topics at the most.
class Listener {
public:
    explicit Listener(const cell::Link& link);
    ~Listener();
    std::map<std::string, std::string> heard() const;
    std::string words() const;  ///< of the connection

private:
    class Work;
    std::unique_ptr<Work> work_;
};

/// A name of the cell that can be heard from outside, with what it is called there.
struct Counterpart {
    std::string ours;
    cell::Link::Name name;   ///< as the link says it, or as it is proposed; `theirs` empty: none
    bool said = false;       ///< the link says it
    std::string heard = {};  ///< the latest message, or value, of it
};
struct Counterparts {
    std::vector<Counterpart> ours;    ///< arms that follow, their joints, signals from outside
    std::vector<std::string> theirs;  ///< topics, and joints in messages, that nothing in the cell is called by
};
enum class Guess { none, by_likeness_and_order };
/// By what the link says; what it says nothing of by likeness of names, or by order (joints of one message).
Counterparts counterparts(const cell::Link& link, const cell::Cell& cell,
    const std::map<std::string, std::string>& heard, Guess guess = Guess::by_likeness_and_order);
/// Names in the message that the arm of this joint ("arm.J1") goes by.
std::vector<std::string> joints_heard(
    const cell::Link& link, const std::string& joint, const std::map<std::string, std::string>& heard);
/// What a link's "names" would be with what was proposed.
cell::json names_json(const Counterparts& all);

}  // namespace escarp::link
