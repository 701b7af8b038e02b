#pragma once
// The instant that is shown, and its going on by itself.

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include "open_cell.h"

namespace escarp::desktop {

class Playhead : public QObject {
    Q_OBJECT
public:
    explicit Playhead(const OpenCell& open, const Results& results, QObject* parent = nullptr);
    double time() const { return time_; }  ///< s
    simulation::Ticks instant() const;
    bool playing() const { return playing_; }
    double speed() const { return speed_; }  ///< times as fast as in truth
    void set_speed(double speed) { speed_ = speed; }
    /// Within the run that is shown.
    void set_time(double seconds);
    /// From the beginning where it stands at the end.
    void play(bool on);
    /// To the next or previous beginning or end of a block.
    void step_event(int direction);

Q_SIGNALS:
    void time_changed();
    void playing_changed();

private:
    void advance();
    void stay_within();
    const Results& results_;
    double time_ = 0, speed_ = 1;
    bool playing_ = false;
    QTimer timer_;
    QElapsedTimer clock_;
};

}  // namespace escarp::desktop
