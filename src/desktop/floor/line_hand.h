#pragma once
// A new device that is given by its corners, such as a fence or a marking, is drawn corner by corner.

#include <cell/edits/compose.h>

#include "corners_hand.h"

namespace escarp::desktop {

class LineHand : public CornersHand {
public:
    LineHand(FloorView& floor, cell::Offering what);
    static bool draws(const OpenCell& open, const cell::Offering& what);
    void click(const Pointer& at) override;
    void finish() override { finish(false); }
    QString words() const override;

protected:
    geometry::Vector3 corner(const Pointer& at) const override;
    std::pair<geometry::Vector3, geometry::Vector3> told() const override { return {corners_.back(), hover_}; }
    bool goes_on() const override { return true; }

private:
    void finish(bool closed);
    cell::Offering what_;
};

}  // namespace escarp::desktop
