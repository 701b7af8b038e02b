#pragma once
// A picture under the plan: a building drawing or a photograph, to be laid out on.

#include <QImage>
#include <optional>

#include <cell/document/document.h>
#include <desktop/looks/plan_drawing.h>

namespace escarp::desktop {

class FloorPicture {
public:
    /// Follows the document's "underlay"; nothing is drawn where there is none or it cannot be read.
    void follow(const cell::json& tree);
    void draw(QPainter& p, const PlanView& view) const;
    bool there() const { return !image_.isNull(); }

    /// The "underlay" made from a file, 5 m wide with its lower left corner at the origin. Null, with the reason in
    /// `why`.
    static cell::json from_file(const QString& file, QString* why);
    /// Scaled about the point `a` so that the points `a` and `b` of the floor are `distance` (m) apart afterwards.
    static cell::json scaled(
        const cell::json& underlay, const geometry::Vector3& a, const geometry::Vector3& b, double distance);

private:
    std::uint64_t key_ = 0;
    QImage image_;
    double x_ = 0, y_ = 0, width_ = 5, turn_ = 0, fade_ = 0.5;
};

}  // namespace escarp::desktop
