#pragma once
// A live run of the variant looked at: begun and ended by hand, shown in place of the computed run while it goes on.

#include <QDateTime>
#include <QElapsedTimer>
#include <QTimer>

#include <link/connection.h>
#include <link/record.h>

#include "background.h"
#include "playhead.h"

namespace escarp::desktop {

class LiveSession : public QObject {
    Q_OBJECT
public:
    explicit LiveSession(OpenCell& open, Results& results, Playhead& playhead, QObject* parent = nullptr);
    ~LiveSession() override;

    struct Wish {
        QStringList links;       ///< ids of those that are switched on
        bool lock_step = false;  ///< with the first of them
        double rate = 1;         ///< of the wall clock
        bool network = false;    ///< other machines may be reached
        QString record = {};     ///< file; empty: none is kept
    };
    /// False, and `OpenCell::refused` with the reason.
    bool start(const Wish& wish);
    void end();
    /// Nothing is sent any more, at once; and the run ends.
    void cut();
    bool running() const { return run_ && !run_->status().over; }
    /// There is one to be looked at, running or over.
    bool there() const { return run_ != nullptr; }
    bool paused() const { return run_ && run_->status().paused; }
    void pause(bool on);
    void step_event();
    void set_rate(double rate);
    /// The computed run again; only where it is over.
    void leave();

    /// The time shown goes on with the run; moving it anywhere else leaves the present.
    bool at_present() const { return at_present_; }
    void to_present();
    /// The cell was edited since: the run goes on as the cell was, and is not shown.
    bool outdated() const { return there() && content_ != open_.layout().content(); }

    link::LiveStatus status() const { return run_ ? run_->status() : link::LiveStatus(); }
    QDateTime since() const { return since_; }
    QString record() const { return record_file_; }
    struct LinkLine {
        QString name;
        link::LinkStatus status;
    };
    const std::vector<LinkLine>& links() const { return links_; }
    /// Of what has happened so far, a second old at the most; null before there is anything. What is wrong about arms
    /// that follow is among the findings.
    std::shared_ptr<const study::Judged> judged() const;

Q_SIGNALS:
    void changed();  ///< anything of it, several times a second while it goes on

private:
    struct Moment {
        int number = 0;
        std::shared_ptr<const cell::Cell> cell;
        std::shared_ptr<const simulation::Run> run;
        std::vector<link::FollowerNote> notes;
        bool operator==(const Moment& o) const { return number == o.number; }
    };
    using Judged = std::shared_ptr<const study::Judged>;
    void tick();
    void show_run();
    void finish();

    OpenCell& open_;
    Results& results_;
    Playhead& playhead_;
    std::string content_;  ///< of the cell that is run
    std::shared_ptr<const cell::Cell> cell_;
    std::unique_ptr<link::LiveTrace> trace_;
    std::unique_ptr<link::RecordWriter> recorder_;
    std::unique_ptr<link::LiveRun> run_;  ///< ends before those that look on
    std::vector<std::unique_ptr<link::Connection>> connections_;
    std::vector<LinkLine> links_;
    std::shared_ptr<const simulation::Run> so_far_;
    QString record_file_;
    QDateTime since_;
    QTimer timer_;
    bool lock_step_ = false;
    double rate_ = 1;
    QElapsedTimer told_;     ///< since `changed`
    QElapsedTimer shown_;    ///< since the run was shown last
    double showing_ms_ = 0;  ///< that this takes
    double present_ = -1;    ///< s that were shown as the present
    bool at_present_ = true, finished_ = false;
    int moments_ = 0;
    Judged judged_, shown_judged_;
    Background<Moment, Judged> judging_;
};

}  // namespace escarp::desktop
