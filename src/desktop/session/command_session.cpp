#include "command_session.h"

#include <wire/modbus.h>

namespace escarp::desktop {

CommandSession::CommandSession(OpenCell& open, QObject* parent)
    : QObject(parent),
      open_(open),
      work_(
          this, [](const Question& q, const motion::StopFlag& stop) { return carry_out(q, stop); },
          [this] { Q_EMIT changed(); }) {}

std::vector<std::pair<QString, QString>> CommandSession::links() const {
    std::vector<std::pair<QString, QString>> all;
    for (const cell::Link& l : open_.cell()->links)
        if (l.protocol == cell::Link::Protocol::mqtt)
            all.emplace_back(QString::fromStdString(l.id), QString::fromStdString(l.name.empty() ? l.id : l.name));
    return all;
}

void CommandSession::ask(const QString& link, int arm, const kinematics::JointVector& to, bool send) {
    const auto cell = open_.cell();
    for (const cell::Link& l : cell->links) {
        if (QString::fromStdString(l.id) != link) continue;
        if (!l.loopback() && !network_) {
            Q_EMIT open_.refused(tr("Nothing was sent"),
                tr("The broker is at %1, which is another machine. Tick \"other machines\" in the panel Live if that "
                   "is meant.")
                    .arg(QString::fromStdString(l.host)));
            return;
        }
        was_cut_ = false, sends_ = send;
        arm_ = cell->devices[arm].id, to_ = to;
        work_.ask({++asked_, cell, l, {arm, to}, send});
        Q_EMIT changed();
        return;
    }
}

QString CommandSession::carry_out(const Question& q, const motion::StopFlag& stop) {
    const cell::Device& arm = q.cell->devices[q.command.device];
    const QString name = QString::fromStdString(arm.name);
    try {
        link::Commander commander(q.link, q.cell);
        constexpr double patience = 3;  // s
        const auto where = commander.where(q.command.device, patience, &stop);
        motion::throw_if_stopped(&stop);
        if (!where.count(q.command.device))
            return tr("\u2715 Nobody says where %1 is (%2); nothing was sent.")
                .arg(name, QString::fromStdString(commander.words()));
        const link::JudgedCommand judged = link::judge(*q.cell, q.command, where.at(q.command.device), where);
        const QString words = QString::fromStdString(judged.words);
        if (!judged.goes) return tr("\u2715 Refused, nothing was sent: %1.").arg(words);
        const QString takes = tr("%1 s").arg(judged.motion->duration(), 0, 'f', 1);
        if (!q.send) return tr("\u25cf It could be sent (%1): %2.").arg(takes, words);
        return commander.send(q.command.device, *judged.motion, stop) ? tr("\u25cf Sent (%1): %2.").arg(takes, words)
                                                                      : tr("! Stopped on the way.");
    } catch (const cell::InputError& e) {
        return tr("\u2715 Nothing was sent: %1").arg(told(e));
    } catch (const wire::WireError& e) {
        return tr("\u2715 Nothing was sent: %1").arg(QString::fromUtf8(e.what()));
    }
}

void CommandSession::cut() {
    if (!busy()) return;
    work_.forget();
    was_cut_ = true;
    Q_EMIT changed();
}

QString CommandSession::words(int arm, const kinematics::JointVector& target) const {
    if (arm < 0 || open_.cell()->devices[arm].id != arm_) return {};
    const bool same = target.size() == to_.size() && (target - to_).norm() < 1e-9;
    if (!busy() && !sends_ && !same) return {};
    if (busy()) return tr("asking where the arm is, judging the way, sending");
    if (was_cut_) return tr("! Stopped: nothing more is sent.");
    return work_.answer() ? *work_.answer() : QString();
}

}  // namespace escarp::desktop
