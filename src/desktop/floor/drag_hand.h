#pragma once
// Drags what is selected: a device, several, or an arm with the pedestal that carries nothing else.

#include <cell/edits/snap.h>

#include "floor_hand.h"

namespace escarp::desktop {

class DragHand : public FloorHand {
public:
    DragHand(FloorView& floor, const QPointF& at, int device);
    void move(const Pointer& at) override;
    void release(const Pointer& at) override;
    void draw(QPainter& p) const override;
    QString words() const override;
    const HeldScene* held() const override { return moves_ ? &held_ : nullptr; }

private:
    void drag_to(const QPointF& pixel, bool snap);

    const QPointF pressed_;
    bool moves_ = false;  ///< not before it was meant
    HeldScene held_;
    int device_;  ///< that the pointer has
    geometry::Frame start_;
    std::vector<cell::SnapGuide> guides_;
    QString lands_on_;
};

/// The guides of what snaps, with their words.
void draw_guides(QPainter& p, const FloorView& floor, const std::vector<cell::SnapGuide>& guides);
/// A conveyor that joins another hands on to it, unless it hands on already.
void hand_on(const cell::Snap& snapped, const cell::Cell& cell, const cell::json& tree, cell::Edit& edit);

}  // namespace escarp::desktop
