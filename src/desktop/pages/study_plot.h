#pragma once
// What a study found, as a plot: a line with its band, a map of two numbers, a front, bars, or how often what came out.

#include <QWidget>
#include <set>

#include <study/ask.h>

class QCPColorGradient;
class QCPRange;
class QCustomPlot;

namespace escarp::desktop {

class StudyPlot : public QWidget {
    Q_OBJECT
public:
    explicit StudyPlot(QWidget* parent = nullptr);
    /// `figure`: index among those looked at, that is drawn upwards (or as colour).
    void show(std::shared_ptr<const study::Answered> answer, int figure);
    void clear();
    void choose(int point);  ///< index among the points tried; -1: the cell as it is
    /// What kind of plot it is: "line", "map", "scatter", "tries", "bars", "gains", "runs", "".
    QString kind() const { return kind_; }
    QString legend() const;  ///< markup: what its marks mean
    /// Where a point is drawn, in the widget's pixels; nothing where it is not.
    std::optional<QPointF> place_of(int point) const;
    /// Points within what was brushed; all of them where nothing is.
    const std::vector<int>& brushed() const { return brushed_; }

Q_SIGNALS:
    void hovered(int point);  ///< -2: none
    void chosen(int point);
    void brush_changed();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    struct Dot {
        double x, y;
        int point;
    };
    void draw_line(const study::Measure& m);
    void draw_map(const study::Measure& m);
    void add_colours(const study::Measure& m, const std::set<double>& across, const std::set<double>& up,
        QCPColorGradient colours, const QCPRange& range);
    void draw_scatter(const study::Measure& across, const study::Measure& up);
    void draw_tries(const study::Measure& m);
    void draw_bars(const study::Measure& m);
    void draw_gains();
    void draw_runs(const study::Measure& m);
    void mark_now(double x, double y);
    void mark_chosen();
    void dots_of(const std::function<std::optional<Dot>(int)>& dot);
    int nearest(const QPointF& at) const;  ///< -2: none within reach
    void brush(const QPointF& from, const QPointF& to);
    bool shown(int point) const;
    const study::Tried& tried(int point) const;

    QCustomPlot* plot_;
    std::shared_ptr<const study::Answered> answer_;
    int figure_ = 0, chosen_ = -2;
    QString kind_;
    std::vector<Dot> dots_;
    std::vector<int> brushed_;
    std::optional<QPointF> pressed_;
    bool brushing_ = false;
};

}  // namespace escarp::desktop
