#include "build_view.h"

#include <QPainter>
#include <cmath>

#include <desktop/looks/arm_words.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;
using kinematics::JointType;

int Building::drive_of(int link) const {
    for (std::size_t steps = 0; link > 0 && steps < draft.links.size(); ++steps) {
        const int joint = draft.links[link].joint;
        if (joint < 0) return -1;
        const cell::FileJoint& j = draft.joints[joint];
        if (!j.fixed && !j.follows) return joint;
        if (j.follows)
            for (const int i : indices(draft.joints))
                if (!j.leaders.empty() && draft.joints[i].joint.name == j.leaders.front().first) return i;
        link = j.joint.parent;
    }
    return -1;
}

BuildView::BuildView(const Building& building, const Surfaces& surfaces, QWidget* parent)
    : SceneView(parent), building_(building), surfaces_(surfaces) {
    setObjectName("build_view");
    setAccessibleName(tr("The mechanism in 3D"));
    connect(&surfaces_, &Surfaces::loaded, this, &BuildView::renew);
}

void BuildView::fit() {
    geometry::Box3 all;
    const std::vector<Frame> frames = building_.draft.frames(building_.values);
    for (std::size_t l = 0; l < frames.size(); ++l) {
        all.add(frames[l].translation(), 0.05);
        for (const geometry::Body& b : building_.draft.links[l].bodies) {
            const geometry::Box3 one = geometry::bounds(b.shape, frames[l] * b.at);
            all.add(one.low), all.add(one.high);
        }
    }
    if (all.empty()) all.add({-0.3, -0.3, 0}), all.add({0.3, 0.3, 0.6});
    show_box(all, 0.8);
    fitted_ = true;
}

void BuildView::follow() {
    if (fitted_) return fit();
    renew();
}

Vector3 BuildView::point_of(int link, const Vector3& local) const {
    return building_.draft.frames(building_.values)[link] * local;
}

std::vector<SceneView::Item> BuildView::items() const {
    std::vector<Item> out;
    const std::vector<Frame> frames = building_.draft.frames(building_.values);
    for (const int l : indices(frames)) {
        const auto& link = building_.draft.links[l];
        bool hides_pieces = false;
        for (const geometry::Body& b : link.bodies) {
            Item item{&b.shape, frames[l] * b.at,
                l == 0       ? theme::steel
                : link.hangs ? theme::arm
                             : theme::stop,
                l, l == building_.link, !link.hangs};
            const Surfaces::Kept* surface = b.stand_in && !b.mesh.empty() ? surfaces_.find(b.mesh) : nullptr;
            if (surface && surface->surface) item.surface = surface;
            item.drawn = !(b.stand_in && b.mesh.empty() && hides_pieces);
            if (b.stand_in && !b.mesh.empty()) hides_pieces = item.surface != nullptr;
            out.push_back(item);
        }
    }
    return out;
}

/// The axis, the range of the limits about it, and where the joint is between them.
void BuildView::draw_joint(QPainter& p, int joint, const std::vector<Frame>& frames) const {
    const cell::FileJoint& j = building_.draft.joints[joint];
    if (j.fixed) return;
    const bool chosen = building_.draft.links[building_.link].joint == joint;
    const QColor colour = chosen ? theme::accent : theme::muted;
    const Frame at = frames[j.joint.parent] * j.joint.at;  // at value 0
    const Vector3 axis = at.linear() * j.joint.axis, origin = at.translation();
    const double size = 0.07 * camera().distance, value = building_.value(joint);
    const Vector3 side =
        at.linear() * (std::abs(j.joint.axis.x()) > 0.9
                              ? Vector3(Vector3::UnitY())
                              : Vector3(j.joint.axis.cross(Vector3::UnitX()).cross(j.joint.axis).normalized()));
    const bool limited = j.joint.high - j.joint.low < 1e5;
    if (j.joint.type == JointType::hinge) {
        p.setPen(QPen(colour, chosen ? 1.8 : 1.2, Qt::DashDotLine));
        draw_line(p, origin - 1.2 * size * axis, origin + 1.4 * size * axis, true);
        const auto rim = [&](double angle) {
            return Vector3(origin + 0.8 * size * (geometry::rotation(axis, angle) * side));
        };
        p.setPen(QPen(colour, chosen ? 2.2 : 1.2));
        const double low = limited ? std::max(j.joint.low, -2 * geometry::pi) : -geometry::pi,
                     high = limited ? std::min(j.joint.high, 2 * geometry::pi) : geometry::pi;
        for (int i = 0; i < 48; ++i)
            draw_line(p, rim(low + (high - low) * i / 48), rim(low + (high - low) * (i + 1) / 48));
        p.setPen(QPen(colour, 1, Qt::DotLine));
        draw_line(p, origin, rim(0));
        p.setPen(QPen(colour, chosen ? 2.2 : 1.4));
        draw_line(p, origin, rim(value), true);
    } else {
        const double low = limited ? j.joint.low : -size, high = limited ? j.joint.high : size;
        p.setPen(QPen(colour, 1, Qt::DotLine));
        draw_line(p, origin + std::min(low, 0.0) * axis, origin + std::max(high, 0.0) * axis);
        p.setPen(QPen(colour, chosen ? 2.2 : 1.4));
        draw_line(p, origin + low * axis, origin + high * axis, true);
        for (const double v : {low, high, value}) {
            const double half = v == value ? 0.3 * size : 0.15 * size;
            draw_line(p, origin + v * axis - half * side, origin + v * axis + half * side);
        }
    }
    const auto word =
        pixel_of(j.joint.type == JointType::hinge
                     ? Vector3(origin + 1.5 * size * axis)
                     : Vector3(origin + (limited ? std::max(j.joint.high, 0.0) : size) * axis + 0.2 * size * axis));
    if (!word) return;
    const QString text = tr("%1  %2 %3")
                             .arg(QString::fromStdString(j.joint.name))
                             .arg(value / joint_unit(j.joint), 0, 'f', 1)
                             .arg(joint_sign(j.joint));
    p.setFont(theme::font(10, chosen));
    QRectF box(*word - QPointF(0, 7), QSizeF(QFontMetricsF(p.font()).horizontalAdvance(text) + 6, 14));
    p.fillRect(box, QColor(0xFC, 0xFA, 0xF5, 200));
    p.setPen(chosen ? theme::accent : theme::ink);
    p.drawText(box, Qt::AlignCenter, text);
}

void BuildView::paint_words(QPainter& p) {
    p.setFont(theme::font(11));
    p.setPen(theme::muted);
    if (!working())
        p.drawText(rect(), Qt::AlignCenter, tr("This display has no OpenGL 3.3;\nthe mechanism cannot be drawn."));
    if (building_.model.is_null())
        return p.drawText(rect(), Qt::AlignCenter, tr("Begin a mechanism at the left: empty, or as a copy of an arm."));
    theme::text(p, QRectF(10, 3, width() - 20, 18),
        tr("Drag a link to try its joint \u00b7 drag beside it to look round \u00b7 lengths in mm, angles in \u00b0"));
    const std::vector<Frame> frames = building_.draft.frames(building_.values);
    const double size = 0.05 * camera().distance;
    for (const int l : indices(frames))
        draw_axes(p, frames[l], l == building_.link ? 1.3 * size : size, l == building_.link ? 2.4 : 1.2);
    for (const int j : indices(building_.draft.joints)) draw_joint(p, j, frames);
    const Frame flange = frames[building_.draft.flange_link] * building_.draft.flange;
    draw_axes(p, flange, 0.8 * size, 1.2);
    if (const auto at = pixel_of(flange.translation())) {
        p.setPen(QPen(theme::ink, 1.4));
        p.drawEllipse(*at, 4, 4);
        p.setFont(theme::font(9));
        p.drawText(*at + QPointF(7, -5), tr("flange"));
    }
}

void BuildView::clicked(int owner, Qt::KeyboardModifiers) {
    if (owner >= 0) Q_EMIT chosen(owner);
}

bool BuildView::grab(const QPointF& at, Qt::KeyboardModifiers keys) {
    Vector3 where;
    if (keys || building_.model.is_null() || (held_link_ = owner_at(at, &where)) <= 0) return false;
    held_joint_ = building_.drive_of(held_link_);
    held_point_ = building_.draft.frames(building_.values)[held_link_].inverse() * where;
    return held_joint_ >= 0;
}

/// The joint turns so that the point that was taken comes under the pointer, as far as it can.
void BuildView::dragged(const QPointF& at) {
    const cell::FileJoint& j = building_.draft.joints[held_joint_];
    const bool hinge = j.joint.type == JointType::hinge;
    const double q = follow_pixel(at, building_.value(held_joint_), j.joint.low, j.joint.high, hinge ? 1e-3 : 1e-4,
        hinge ? 0.2 : 0.05 * camera().distance, [&](double v) {
            std::map<std::string, double> values = building_.values;
            values[j.joint.name] = v;
            return Vector3(building_.draft.frames(values)[held_link_] * held_point_);
        });
    Q_EMIT tried(QString::fromStdString(j.joint.name), q);
}

}  // namespace escarp::desktop
