#pragma once
// What the mouse does on the Floor, from when it takes hold of something until it lets go. One file for each; FloorView
// makes them, and tells them where the pointer is.

#include <QPainter>
#include <QPointF>

#include <simulation/scene.h>
#include <study/figures.h>

namespace escarp::desktop {

class FloorView;

/// Where the pointer is, and with which keys.
struct Pointer {
    QPointF pixel;
    Qt::KeyboardModifiers keys = {};
    bool snaps() const { return !(keys & Qt::AltModifier); }
};

/// All as it was when a drag began: what is not dragged is drawn like that.
struct HeldScene {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const study::Evaluation> evaluation;
    std::uint64_t number = 0;  ///< see ShownScene::number
    std::optional<simulation::Scene> scene;
    std::vector<int> moving;  ///< devices that are dragged, with all that stands on them
};

class FloorHand {
public:
    enum class Holds { view, device, turn_handle, tool, new_device, line, measure, band };
    FloorHand(FloorView& floor, Holds holds) : floor_(floor), holds_(holds) {}
    FloorHand(const FloorHand&) = delete;
    FloorHand& operator=(const FloorHand&) = delete;
    virtual ~FloorHand() = default;
    Holds holds() const { return holds_; }
    /// It hangs on the pointer until clicks put it down; else it lasts while the button is held.
    bool hangs() const { return holds_ == Holds::new_device || holds_ == Holds::line || holds_ == Holds::measure; }

    virtual void click(const Pointer&) {}  ///< of what hangs
    virtual void move(const Pointer&) = 0;
    virtual void release(const Pointer&) {}       ///< of what is held: the button goes up
    virtual void finish() {}                      ///< a double click, or Enter
    virtual void draw(QPainter&) const {}         ///< over all else
    virtual QString words() const { return {}; }  ///< what can be done now, beside the title; null: the usual
    virtual const HeldScene* held() const { return nullptr; }

protected:
    FloorView& floor_;

private:
    const Holds holds_;
};

/// How near, in pixels, things snap to each other; what a drag rounds to with and without snapping, m.
inline constexpr double snap_pixels = 9, snap_grid = 0.01, fine_grid = 0.0001;

}  // namespace escarp::desktop
