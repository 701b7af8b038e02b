#pragma once
// An arm outside is told to go where the arm is shown: judged first, and sent only where that lets it pass.

#include <link/command.h>

#include "background.h"
#include "open_cell.h"

namespace escarp::desktop {

class CommandSession : public QObject {
    Q_OBJECT
public:
    explicit CommandSession(OpenCell& open, QObject* parent = nullptr);
    /// Links over which arms can be told to move: their ids and names.
    std::vector<std::pair<QString, QString>> links() const;
    /// Other machines may be reached; else loopback alone.
    void set_network(bool on) { network_ = on; }
    /// From where the arm is said to be: whether it may go, without sending anything.
    void try_here(const QString& link, int arm, const kinematics::JointVector& to) { ask(link, arm, to, false); }
    /// The same, and then it is sent.
    void send(const QString& link, int arm, const kinematics::JointVector& to) { ask(link, arm, to, true); }
    /// Nothing more is sent, at once.
    void cut();
    bool busy() const { return work_.asked() && !work_.answer(); }
    /// What came of it; empty where an arm is meant that was not asked about, or one that was only tried for another
    /// target than this.
    QString words(int arm, const kinematics::JointVector& target) const;

Q_SIGNALS:
    void changed();

private:
    struct Question {
        int number;
        std::shared_ptr<const cell::Cell> cell;
        cell::Link link;
        link::Command command;
        bool send;
        bool operator==(const Question& o) const { return number == o.number; }
    };
    void ask(const QString& link, int arm, const kinematics::JointVector& to, bool send);
    static QString carry_out(const Question& question, const motion::StopFlag& stop);

    OpenCell& open_;
    bool network_ = false, was_cut_ = false, sends_ = false;
    int asked_ = 0;
    std::string arm_;  ///< id, of what was asked last
    kinematics::JointVector to_;
    Background<Question, QString> work_;
};

}  // namespace escarp::desktop
