#pragma once
// Measures between two points that are clicked.

#include "corners_hand.h"

namespace escarp::desktop {

class MeasureHand : public CornersHand {
public:
    explicit MeasureHand(FloorView& floor) : CornersHand(floor, Holds::measure) {}
    void click(const Pointer& at) override;
    QString words() const override;

protected:
    std::pair<geometry::Vector3, geometry::Vector3> told() const override {
        return {corners_.front(), goes_on() ? hover_ : corners_[1]};
    }
    bool goes_on() const override { return corners_.size() == 1; }
};

}  // namespace escarp::desktop
