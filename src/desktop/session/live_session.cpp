#include "live_session.h"

#include <algorithm>
#include <iterator>

#include <link/follower_findings.h>

namespace escarp::desktop {

using simulation::seconds;

LiveSession::LiveSession(OpenCell& open, Results& results, Playhead& playhead, QObject* parent)
    : QObject(parent),
      open_(open),
      results_(results),
      playhead_(playhead),
      judging_(
          this,
          [cache = results.cache()](const Moment& m, const motion::StopFlag& stop) -> Judged {
              study::EvaluateOptions how;
              how.stop = &stop;
              study::Judged judged = study::judge_run(m.cell, m.run, *cache, how);
              if (auto more = link::findings_of(*m.cell, m.notes); !more.empty()) {
                  auto with = std::make_shared<inspection::Inspection>(*judged.inspection);
                  std::move(more.begin(), more.end(), std::back_inserter(with->findings));
                  std::stable_sort(with->findings.begin(), with->findings.end(),
                      [](const auto& a, const auto& b) { return a.severity < b.severity; });
                  judged.inspection = std::move(with);
              }
              return std::make_shared<const study::Judged>(std::move(judged));
          },
          [this] {
              judged_ = *judging_.answer();
              if (finished_ && so_far_ && !outdated() && !results_.other_run().isEmpty())
                  results_.look_at_run(so_far_, tr("live run"), judged_);
              Q_EMIT changed();
          }) {
    constexpr int frame_ms = 16;
    timer_.setInterval(frame_ms);
    connect(&timer_, &QTimer::timeout, this, &LiveSession::tick);
    connect(&open_, &OpenCell::document_changed, this, [this] {
        if (!there()) return;
        if (!finished_) so_far_.reset();  // it is shown anew
        Q_EMIT changed();
    });
}

LiveSession::~LiveSession() {
    connections_.clear();
    run_.reset();
}

bool LiveSession::start(const Wish& wish) {
    const auto refuse = [this](const QString& text) {
        connections_.clear();
        run_.reset(), recorder_.reset(), trace_.reset();
        links_.clear();
        Q_EMIT open_.refused(tr("The live run was not begun"), text);
        Q_EMIT changed();
        return false;
    };
    if (running()) end();
    connections_.clear(), links_.clear();
    run_.reset(), recorder_.reset();
    if (!results_.shown()) return refuse(tr("The cell has no computed run yet; once it has, a live run can begin."));
    cell_ = open_.layout().shared_cell();
    content_ = open_.layout().content();
    std::vector<const cell::Link*> links;
    for (const QString& id : wish.links)
        for (const cell::Link& l : cell_->links)
            if (QString::fromStdString(l.id) == id) links.push_back(&l);
    for (const cell::Link* l : links)
        if (!l->loopback() && !wish.network)
            return refuse(
                tr("The link \"%1\" is at %2, which is another machine, or can be reached by others. Tick \"other "
                   "machines\" if that is meant.")
                    .arg(QString::fromStdString(l->name.empty() ? l->id : l->name), QString::fromStdString(l->host)));
    if (wish.lock_step && links.size() != 1)
        return refuse(
            tr("In lock-step the clock goes with one controller: switch on one link, or choose the wall clock."));
    try {
        trace_ = std::make_unique<link::LiveTrace>();
        link::LiveOptions how;
        how.rate = wish.rate, how.lock_step = wish.lock_step;
        how.observers = {trace_.get()};
        since_ = QDateTime::currentDateTime();
        record_file_ = wish.record;
        if (!record_file_.isEmpty()) {
            const cell::Layout& l = open_.layout();
            recorder_ = std::make_unique<link::RecordWriter>(record_file_.toStdString(),
                link::RecordAbout{cell_->name, open_.variant().toStdString(), l.content(), l.tree(),
                    since_.toString("yyyy-MM-dd HH:mm:ss").toStdString(), wish.rate, wish.lock_step},
                *cell_);
            recorder_->attach(how);
        }
        run_ = std::make_unique<link::LiveRun>(cell_, how);
        for (const cell::Link* l : links) {
            connections_.push_back(link::connect(*l, *run_, wish.lock_step));
            links_.push_back(
                {QString::fromStdString(l->name.empty() ? l->id : l->name), connections_.back()->status()});
        }
    } catch (const cell::InputError& e) {
        return refuse(QString::fromStdString(e.problems().front().where + ": " + e.problems().front().message));
    } catch (const wire::WireError& e) {
        return refuse(QString::fromUtf8(e.what()));
    }
    finished_ = false, at_present_ = true, present_ = -1;
    lock_step_ = wish.lock_step, rate_ = wish.rate;
    so_far_.reset(), judged_.reset();
    judging_.forget();
    shown_.invalidate();
    timer_.start();
    tick();
    return true;
}

void LiveSession::end() {
    if (!run_) return;
    run_->stop("it was ended by hand");
    // Where it is still planning a motion, it is over a little later, and seen to be.
    constexpr double patience = 10;  // s
    if (run_->wait(patience)) finish();
}

void LiveSession::cut() {
    if (!running()) return;
    for (std::size_t i = 0; i < connections_.size(); ++i) links_[i].status = connections_[i]->status();
    connections_.clear();
    run_->stop("all sending was stopped by hand");
    Q_EMIT changed();
}

void LiveSession::finish() {
    if (finished_) return;
    finished_ = true;
    timer_.stop();
    for (std::size_t i = 0; i < connections_.size(); ++i) links_[i].status = connections_[i]->status();
    connections_.clear();  // nothing listens any more
    if (recorder_) try {
            recorder_->finish(*run_);
        } catch (const cell::InputError& e) {
            Q_EMIT open_.refused(
                tr("The record could not be written"), QString::fromStdString(e.problems().front().message));
        }
    recorder_.reset();
    so_far_ = run_->run();
    if (!outdated()) results_.look_at_run(so_far_, tr("live run"), judged_);
    judging_.ask({++moments_, cell_, so_far_, run_->notes()});
    Q_EMIT changed();
}

void LiveSession::leave() {
    if (running()) return;
    connections_.clear(), links_.clear();
    run_.reset(), trace_.reset(), so_far_.reset(), judged_.reset();
    judging_.forget();
    results_.leave_run();
    Q_EMIT changed();
}

void LiveSession::pause(bool on) {
    if (!run_) return;
    run_->pause(on);
    Q_EMIT changed();
}
void LiveSession::step_event() {
    if (run_) run_->step_event();
}
void LiveSession::set_rate(double rate) {
    rate_ = rate;
    if (run_) run_->set_rate(rate);
}

void LiveSession::to_present() {
    if (!there()) return;
    at_present_ = true, present_ = -1;
    playhead_.play(false);
    if (!running() && so_far_) {
        if (!outdated() && results_.other_run().isEmpty()) results_.look_at_run(so_far_, tr("live run"), judged_);
        playhead_.set_time(seconds(so_far_->trace.end));
    }
    tick();
}

std::shared_ptr<const study::Judged> LiveSession::judged() const { return judged_; }

/// The run as far as it has come takes the place of what was shown of it, a few times a second: the less often the
/// longer that takes.
void LiveSession::show_run() {
    constexpr double at_least_ms = 120, rest = 6;
    if (shown_.isValid() && static_cast<double>(shown_.elapsed()) < std::max(at_least_ms, rest * showing_ms_)) return;
    const simulation::Ticks now = run_->status().now;
    if (so_far_ && so_far_->trace.end == now && shown_judged_ == judged_ && !results_.other_run().isEmpty())
        return;  // it stands
    shown_judged_ = judged_;
    QElapsedTimer takes;
    takes.start();
    so_far_ = trace_->so_far(now);
    if (so_far_ && !outdated()) results_.look_at_run(so_far_, tr("live run"), judged_);
    showing_ms_ = static_cast<double>(takes.elapsed());
    shown_.start();
    const bool idle = !judging_.asked() || judging_.answer();
    constexpr double judged_every = 1;  // s
    if (so_far_ && idle && (!judged_ || seconds(so_far_->trace.end - judged_->run->trace.end) >= judged_every))
        judging_.ask({++moments_, cell_, so_far_, run_->notes()});
}

void LiveSession::tick() {
    if (!run_ || finished_) return;
    const link::LiveStatus status = run_->status();
    if (status.over) return finish();
    for (std::size_t i = 0; i < connections_.size(); ++i) links_[i].status = connections_[i]->status();
    if (present_ >= 0 && playhead_.time() != present_ && at_present_) {
        at_present_ = false;
        told_.invalidate();
    }
    show_run();
    if (at_present_ && so_far_ && !outdated()) {
        // A little behind what is known, so that it goes evenly.
        constexpr double behind = 0.15;  // s of the wall clock
        const double lag = status.paused || lock_step_ ? 0 : behind * rate_;
        playhead_.set_time(std::min(seconds(so_far_->trace.end), std::max(0.0, seconds(status.now) - lag)));
        present_ = playhead_.time();
    }
    constexpr int told_every_ms = 100;
    if (told_.isValid() && told_.elapsed() < told_every_ms) return;
    told_.start();
    Q_EMIT changed();
}

}  // namespace escarp::desktop
