#pragma once
// Turns the selected device by the handle before it.

#include "floor_hand.h"

namespace escarp::desktop {

class TurnHand : public FloorHand {
public:
    TurnHand(FloorView& floor, int device);
    void move(const Pointer& at) override;
    void release(const Pointer& at) override;
    QString words() const override;
    const HeldScene* held() const override { return &held_; }

private:
    HeldScene held_;
    const int device_;
    const geometry::Frame start_;
};

}  // namespace escarp::desktop
