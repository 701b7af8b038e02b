#pragma once
// The selected arm's motion over time against its limits: joint values, rates and accelerations as shares of the
// limits, and the tool's place, speed and acceleration. Its cursor is the ribbon's.

#include <QComboBox>
#include <QLabel>
#include <QWidget>

#include <desktop/session/playhead.h>
#include <desktop/session/selection.h>

class QCustomPlot;
class QCPAbstractItem;
class QCPItemStraightLine;

namespace escarp::desktop {

class MotionPlot : public QWidget {
    Q_OBJECT
public:
    explicit MotionPlot(const Results& results, Selection& selection, Playhead& playhead, QWidget* parent = nullptr);

    enum class What { position, rate, acceleration, tool_position, tool_speed, tool_acceleration };
    /// What is drawn: one curve per joint, each with the values at the instants of `times`: joint values as shares of
    /// their range, rates and accelerations of their limits. Or of the tool frame's origin: x, y and z in the world,
    /// mm; its speed, m/s; its acceleration, m/s^2.
    struct Curves {
        std::vector<double> times;
        std::vector<QString> names;
        std::vector<std::vector<double>> values;
        double low = -1, high = 1;
        bool shares = true;           ///< of a limit
        int decimals = 2;             ///< of other values
        std::optional<double> limit;  ///< that the arm keeps on straight moves
    };
    const Curves& curves() const { return curves_; }
    void show_what(What what);
    QPointF place_of(double t) const;  ///< of an instant, in the widget's pixels

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void showEvent(QShowEvent*) override { renew(); }

private:
    void renew();
    void find();
    void joint_curves(const cell::Device& d, const std::vector<simulation::MotionRecord>& motions, What what);
    void tool_curves(const cell::Device& d, const std::vector<simulation::MotionRecord>& motions, What what);
    void draw();
    void limit_at(double value);
    void show_values();
    void show_time();

    const Results& results_;
    Selection& selection_;
    Playhead& playhead_;
    QComboBox* what_;
    QLabel* title_;
    QCustomPlot* plot_;
    QCPItemStraightLine* cursor_;
    std::vector<QCPAbstractItem*> limits_;
    Curves curves_;
};

}  // namespace escarp::desktop
