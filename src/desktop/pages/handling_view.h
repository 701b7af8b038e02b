#pragma once
// A part as a tool grips it, or a tool alone: the frame of the grip (or the tool's) is dragged and turned in it.

#include <QWidget>
#include <optional>

#include <desktop/looks/plan_drawing.h>
#include <desktop/session/selection.h>

namespace escarp::desktop {

class HandlingView : public QWidget {
    Q_OBJECT
public:
    explicit HandlingView(OpenCell& open, const Results& results, Selection& selection, QWidget* parent = nullptr);
    /// `tool` (an id, may be empty) is seen gripping the part at each grip in turn; `grip`: the one that is dragged.
    void show_part(const std::string& part_type, const std::string& grip, const std::string& tool);
    void show_tool(const std::string& tool);
    void set_side(Side side);
    /// Where the handles of the frame are, in pixels: its origin, and the lever that turns it.
    QPointF origin() const;
    QPointF lever() const;

Q_SIGNALS:
    void grip_chosen(const QString& grip);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    struct Content {
        const cell::PartType* part = nullptr;
        const cell::ToolModel* tool = nullptr;
        geometry::Frame frame = geometry::Frame::Identity();  ///< that is dragged, where it is drawn
        bool there = false;
    };
    Content content() const;
    PlanView view(const Content& content) const;
    std::vector<DrawnBody> bodies(const Content& content) const;
    cell::Edit edit(const geometry::Frame& frame) const;
    void give_up();

    OpenCell& open_;
    const Results& results_;
    Selection& selection_;
    std::string part_, grip_, tool_;
    Side side_ = Side::corner;
    enum class Held { nothing, origin, lever } held_ = Held::nothing;
    QPointF pressed_;
    geometry::Frame before_ = geometry::Frame::Identity();
    PlanView held_view_;  ///< does not move while something is dragged in it
};

}  // namespace escarp::desktop
