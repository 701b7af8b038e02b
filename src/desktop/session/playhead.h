#pragma once
// The instant that is shown, and its going on by itself.

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include <simulation/run.h>

namespace escarp::desktop {

class Playhead : public QObject {
    Q_OBJECT
public:
    explicit Playhead(QObject* parent = nullptr);
    double time() const { return time_; }  ///< s
    bool playing() const { return playing_; }
    double speed() const { return speed_; }  ///< times as fast as in truth
    void set_speed(double speed) { speed_ = speed; }
    /// Within [0, end].
    void set_time(double seconds, double end);
    /// From the beginning where it stands at the end.
    void play(bool on, double end);
    /// So much time has passed: in the steady state the picture repeats, else it stops at the end.
    void advance(const simulation::Run& run);
    /// To the next or previous beginning or end of a block.
    void step_event(int direction, const simulation::Run& run);

Q_SIGNALS:
    void ticked();  ///< time for `advance`
    void time_changed();
    void playing_changed();

private:
    double time_ = 0, speed_ = 1;
    bool playing_ = false;
    QTimer timer_;
    QElapsedTimer clock_;
};

}  // namespace escarp::desktop
