#pragma once
// Corners that are clicked one after the other: what drawing a line and measuring have in common.

#include "floor_hand.h"

namespace escarp::desktop {

class CornersHand : public FloorHand {
public:
    using FloorHand::FloorHand;
    void move(const Pointer& at) override;
    void draw(QPainter& p) const override;

protected:
    /// Where a click would set the next one.
    virtual geometry::Vector3 corner(const Pointer& at) const;
    /// The two points whose distance is written beside the line.
    virtual std::pair<geometry::Vector3, geometry::Vector3> told() const = 0;
    virtual bool goes_on() const = 0;  ///< a line is drawn to the pointer
    std::vector<geometry::Vector3> corners_;
    geometry::Vector3 hover_ = geometry::Vector3::Zero();
};

}  // namespace escarp::desktop
