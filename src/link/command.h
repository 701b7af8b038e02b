#pragma once
// An arm outside is told to move: judged against the cell first, then sent as a stream of joint values, to a real arm
// or to a simulated one that follows, alike.

#include <atomic>
#include <functional>
#include <map>

#include <motion/motion.h>

#include "names.h"

namespace escarp::link {

/// To joint values, by a joint move.
struct Command {
    int device = -1;             ///< the arm
    kinematics::JointVector to;  ///< rad and m
    double speed = 0.2;          ///< share of the arm's limits
    bool may_come_near = false;  ///< nearer than the safety distance, as long as nothing is touched
};

struct JudgedCommand {
    bool goes = false;
    std::string words;         ///< why not, or what it keeps away from what
    motion::MotionPtr motion;  ///< null where it does not go
    double keeps_m = 0;        ///< it is at least so far from everything; 0: it is not known to be
};

/// Limits of the joints, and the way there from `now` against all that stands in the cell and against what else moves,
/// where it is: as `others` says (joint values by device), else where it stands ready. The tool is taken to be empty,
/// and no parts to lie anywhere.
JudgedCommand judge(const cell::Cell& cell, const Command& command, const kinematics::JointVector& now,
    const std::map<int, kinematics::JointVector>& others);

/// The arms of a cell as they are said to be at a broker, and commands to them.
class Commander {
public:
    /// Throws InputError: a link that is not over MQTT, names of nothing in the cell.
    Commander(const cell::Link& link, std::shared_ptr<const cell::Cell> cell);
    ~Commander();
    Commander(const Commander&) = delete;
    /// Waits until it is said where an arm is, or for so long (s). Where everything is, by device.
    std::map<int, kinematics::JointVector> where(
        int device, double patience_s, const std::atomic<bool>* stop = nullptr);
    std::string words() const;  ///< of the connection
    /// Sends a motion by the wall clock, value after value. False where `stop` ended it, or the connection was lost:
    /// then nothing more goes out. `told`: the share done.
    bool send(int device, const motion::Motion& motion, const std::atomic<bool>& stop,
        const std::function<void(double)>& told = {});

private:
    class Work;
    std::unique_ptr<Work> work_;
};

}  // namespace escarp::link
