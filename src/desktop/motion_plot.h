#pragma once
// The selected arm's motion over time against its limits: joint values, rates and accelerations as shares of the limits, and the
// tool's speed. Its cursor is the ribbon's.

#include <QComboBox>
#include <QWidget>

#include "workspace.h"

namespace escarp::desktop {

class MotionPlot : public QWidget {
    Q_OBJECT
public:
    explicit MotionPlot(Workspace& workspace, QWidget* parent = nullptr);

    enum class What { position, rate, acceleration, tool };
    /// What is drawn: one curve per joint (or one of the tool's speed, m/s), each with the values at the instants of `times`. Joint
    /// values as shares of their range, rates and accelerations of their limits.
    struct Curves {
        std::vector<double> times;
        std::vector<QString> names;
        std::vector<std::vector<double>> values;
        double low = -1, high = 1;
    };
    const Curves& curves() const { return curves_; }
    void show_what(What what);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void showEvent(QShowEvent*) override { renew(); }

private:
    void renew();
    QRectF box() const;

    Workspace& workspace_;
    QComboBox* what_;
    Curves curves_;
    QString title_;
};

}  // namespace escarp::desktop
