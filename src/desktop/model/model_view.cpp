#include "model_view.h"

#include <QGuiApplication>
#include <QPainter>
#include <cmath>

#include <cell/text/content_key.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/looks/theme.h>
#include <exchange/surface_file.h>
#include <geometry/indices.h>
#include <simulation/kernel.h>

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

ModelView::ModelView(Workspace& workspace, const SweptShown& swept, QWidget* parent)
    : SceneView(parent), workspace_(workspace), swept_(swept) {
    connect(&swept_, &SweptShown::changed, this, [this] { renew(); });
    setObjectName("model");
    setAccessibleName(tr("Model: the cell in 3D"));
    connect(&workspace_.open, &OpenCell::document_changed, this, [this] {
        if (fitted_ && !workspace_.open.trying()) fit();
        // While something is dragged the Floor comes first; the Model follows a little less often.
        if (!workspace_.open.trying()) return renew();
        if (!later_.isActive()) later_.start(50);
    });
    connect(&workspace_.results, &Results::zones_found, this, [this] {
        if (!workspace_.results.zones()->all.empty() || !shells_.empty()) renew();
    });
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &ModelView::renew);
    connect(&workspace_.results, &Results::evaluated, this, &ModelView::renew);
    connect(&workspace_.playhead, &Playhead::time_changed, this, &ModelView::renew);
    connect(&workspace_.hand, &ArmByHand::posed_changed, this, &ModelView::renew);
    connect(&workspace_.hand, &ArmByHand::how_changed, this, &ModelView::renew);
    connect(&workspace_.hand, &ArmByHand::ghosts_changed, this, &ModelView::renew);
    connect(&workspace_.selection, &Selection::selection_changed, this, &ModelView::renew);
    connect(&workspace_.view_options, &ViewOptions::shown_changed, this, &ModelView::renew);
}

void ModelView::fit() {
    fit_to({});
    fitted_ = true;
}

void ModelView::look_at_the_work() {
    const cell::Cell& c = *workspace_.open.cell();
    // What is worked at, and the arms' shoulders; of many some, evenly: it is a first look, and nobody waits for it.
    constexpr std::size_t enough = 48;
    struct Point {
        Vector3 at;
        std::size_t of;
    };
    std::vector<Point> points;
    for (std::size_t i = 0; i < c.devices.size(); ++i) {
        const cell::Device& work = c.devices[i];
        for (const cell::Seat& s : work.seats)
            points.push_back({work.world * Vector3(s.at.translation() + Vector3(0, 0, 0.05)), i});
        if (work.arm) points.push_back({work.world * Vector3(0, 0, 0.4), i});
    }
    if (points.size() > enough) {
        std::vector<Point> some;
        for (std::size_t i = 0; i < enough; ++i) some.push_back(points[i * points.size() / enough]);
        points = std::move(some);
    }
    double best_turn = Camera().turn, least = 1e300;
    for (const double turned : {0.0, 0.3, -0.3, 0.6, -0.6, geometry::pi, geometry::pi + 0.3, geometry::pi - 0.3}) {
        const double turn = Camera().turn + turned, tilt = Camera().tilt;
        const Vector3 to_eye(std::cos(tilt) * std::cos(turn), std::cos(tilt) * std::sin(turn), std::sin(tilt));
        double hidden = 0;
        for (const Point& point : points) {
            const geometry::Convex ray = geometry::Convex::segment(point.at, point.at + 20 * to_eye);
            for (std::size_t i = 0; i < c.devices.size(); ++i) {
                const cell::Device& other = c.devices[i];
                if (i == point.of || other.arm) continue;
                for (const geometry::Body& b : other.bodies) {
                    const Frame at = other.world * b.at;
                    const Vector3 there = at * b.shape.centre() - point.at;
                    const Vector3 aside = there - std::max(0.0, there.dot(to_eye)) * to_eye;
                    if (aside.norm() > b.shape.bound() + 1e-4) continue;  // its ball is beside the ray
                    if (geometry::separation(ray, Frame::Identity(), b.shape, at).distance <= 1e-4) {
                        hidden += b.see_through() ? 0.4 : 1;
                        break;
                    }
                }
            }
        }
        if (hidden < least - 1e-9) least = hidden, best_turn = turn;
    }
    look(best_turn, Camera().tilt);
    fit();
}

void ModelView::fit_selection() {
    fit_to(workspace_.selection.indexes());
    fitted_ = workspace_.selection.indexes().empty();
}

/// Brings devices into view; all of them for an empty list.
void ModelView::fit_to(const std::vector<int>& devices) {
    geometry::Box3 all;
    for (const int i : indices(workspace_.open.cell()->devices)) {
        if (!devices.empty() && std::find(devices.begin(), devices.end(), i) == devices.end()) continue;
        const cell::Device& d = workspace_.open.cell()->devices[i];
        for (const geometry::Body& b : d.bodies) {
            const geometry::Box3 one = geometry::bounds(b.shape, d.world * b.at);
            all.add(one.low), all.add(one.high);
        }
        if (d.arm) all.add(d.world.translation() + Vector3(0, 0, 0.5), 0.5);
        if (d.bodies.empty())
            for (const cell::Mark& m : d.marks)
                for (const Vector3& p : m.line) all.add(d.world * p);
    }
    if (all.empty()) all.add({-1.3, -1, 0}), all.add({1.3, 1, 1});
    show_box(all, devices.empty() ? 0.9 : 0.6);
}

/// A body; pieces of a surface are only drawn while the surface itself is not there. `hides_pieces`: of the one that
/// came before them.
void ModelView::add_body(const geometry::Body& b, Item item, bool& hides_pieces, std::vector<Item>& out) const {
    const Surfaces::Kept* surface = b.stand_in ? workspace_.open.surfaces().find(b.mesh) : nullptr;
    item.shape = &b.shape;
    item.see_through = b.see_through();
    if (surface && surface->surface) item.surface = surface;
    else if (surface && !surface->missing.isEmpty()) item.colour = theme::stop, item.see_through = true;
    item.drawn = !(b.stand_in && b.mesh.empty() && hides_pieces);
    if (b.stand_in && !b.mesh.empty()) hides_pieces = item.surface != nullptr;
    out.push_back(item);
}

void ModelView::add_device(int index, std::vector<Item>& out) const {
    const cell::Cell& c = *workspace_.open.cell();
    const cell::Device& d = c.devices[index];
    const bool chosen = workspace_.selection.has(d.id);
    const QColor fill = theme::look_colour(d.look, d.colour);
    bool hides_pieces = false;
    const auto add = [&](const simulation::Scene::Placed& b, const QColor& colour, geometry::Finish finish, int part) {
        Item item{nullptr, b.at, colour, index, chosen, false, finish};
        item.part = part;
        add_body(b.body, item, hides_pieces, out);
    };
    workspace_.shown.scene().each_body(index, [&](const simulation::Scene::Placed& b) {
        const bool link = b.link >= 0 && !b.of_tool;
        const QColor colour = b.of_tool ? QColor(0xC9, 0x8A, 0x6A) : d.arm && b.link == 0 ? theme::steel : fill;
        add(b, colour, link && d.arm ? geometry::Finish::casting : b.body.finish, d.arm ? b.link : -1);
    });
    if (const auto kept = simulation::kind_of(d).kept_empty(d)) {  // it is air: a click goes through it
        spaces_.push_back(kept->space);
        Item item{&spaces_.back(), d.world, theme::watch, -1, chosen, true, geometry::Finish::pane};
        item.opacity = 0.12f;
        out.push_back(item);
    }
    if (!d.arm) return;
    const auto& links = d.arm->model->mechanism.links;
    if (d.id == workspace_.hand.ghosts_for())
        for (const std::vector<Frame>& ghost : workspace_.shown.ghosts())
            for (std::size_t l = 1; l < links.size(); ++l)
                for (const geometry::Body& b : links[l].bodies) {
                    Item item{&b.shape, ghost[l] * b.at, theme::accent, -1, true, true, geometry::Finish::casting};
                    item.opacity = 0.38f;
                    out.push_back(item);
                }
}

void ModelView::add_parts(std::vector<Item>& out) const {
    const simulation::Scene& scene = workspace_.shown.scene();
    for (const simulation::Scene::Part& part : scene.parts()) {
        const cell::PartType& type = scene.cell().part_types[part.type];
        const QColor fill = part.result == "reject" ? QColor(0xE3, 0xB4, 0xC4)
                            : type.colour.empty()   ? theme::part
                                                    : QColor(QString::fromStdString(type.colour));
        bool hides_pieces = false;
        for (const geometry::Body& b : type.bodies) add_body(b, {nullptr, part.at * b.at, fill, -1}, hides_pieces, out);
    }
}

std::vector<ModelView::Item> ModelView::items() const {
    std::vector<Item> out;
    spaces_.clear();
    for (const int i : indices(workspace_.open.cell()->devices))
        if (!workspace_.view_options.hidden(workspace_.open.cell()->devices[i].id)) add_device(i, out);
    add_zones(out);
    add_swept(out);
    add_parts(out);
    return out;
}

/// Space that two movers share, so that what is behind still shows.
void ModelView::add_zones(std::vector<Item>& items) const {
    if (!workspace_.view_options.shown().zones || !workspace_.results.zones()) return;
    constexpr double fine = 0.012;
    if (zones_ != workspace_.results.zones()) {
        zones_ = workspace_.results.zones();
        shells_.clear();
        for (const inspection::Zone& z : zones_->all) {
            Surfaces::Kept shell;
            shell.surface =
                std::make_shared<const geometry::Surface>(exchange::surface_of(z.space.unpacked().shell(fine)));
            shell.key = cell::ContentKey().add(z.id).add(z.litres).add(z.box.low).add(z.box.high).value();
            shells_.push_back(std::move(shell));
        }
    }
    static const geometry::Convex nothing = geometry::Convex::sphere(0);
    for (const Surfaces::Kept& shell : shells_) {
        Item item{&nothing, Frame::Identity(), theme::stop, -1, false, true};
        item.surface = &shell;
        item.opacity = 0.3f;
        items.push_back(item);
    }
}

void ModelView::add_swept(std::vector<Item>& items) const {
    if (!swept_.volume()) return;
    constexpr double fine = 0.02;
    if (sweeps_ != swept_.volume()) {
        sweeps_ = swept_.volume();
        swept_skin_.surface = std::make_shared<const geometry::Surface>(exchange::surface_of(sweeps_->shell(fine)));
        const geometry::Box3 box = sweeps_->box();
        swept_skin_.key = cell::ContentKey()
                              .add("swept")
                              .add(sweeps_->count())
                              .add(sweeps_->edge())
                              .add(box.low)
                              .add(box.high)
                              .value();
    }
    static const geometry::Convex nothing = geometry::Convex::sphere(0);
    Item item{&nothing, Frame::Identity(), theme::accent, -1, false, true};
    item.surface = &swept_skin_;
    item.opacity = 0.22f;
    items.push_back(item);
}

void ModelView::clicked(int device, Qt::KeyboardModifiers keys) {
    if (held_.axis >= 0) return;  // a click on a handle
    if (device >= 0 && keys & Qt::ShiftModifier)
        return workspace_.selection.toggle(QString::fromStdString(workspace_.open.cell()->devices[device].id));
    workspace_.selection.select(
        device >= 0 ? QString::fromStdString(workspace_.open.cell()->devices[device].id) : QString());
}

geometry::Matrix3 ModelView::hand_axes() const {
    if (workspace_.hand.how().frame == ByHand::Frame::tool) return workspace_.tool_by_hand().linear();
    if (workspace_.hand.how().frame == ByHand::Frame::base)
        return workspace_.open.cell()->devices[workspace_.hand.arm()].world.linear();
    return geometry::Matrix3::Identity();
}

std::vector<ModelView::Handle> ModelView::handles() const {
    if (workspace_.hand.arm() < 0 || workspace_.hand.how().frame == ByHand::Frame::joint ||
        workspace_.playhead.playing())
        return {};
    std::vector<Handle> out;
    const Vector3 at = workspace_.tool_by_hand().translation();
    const geometry::Matrix3 axes = hand_axes();
    const double size = 0.09 * camera().distance;
    for (int i = 0; i < 3; ++i) out.push_back({i, {at + 0.25 * size * axes.col(i), at + size * axes.col(i)}});
    for (int i = 0; i < 3; ++i) {
        Handle ring{3 + i, {}};
        for (int k = 0; k <= 12; ++k) {  // a quarter between the other two arrows
            const double angle = 0.5 * geometry::pi * k / 12;
            ring.line.push_back(
                at + 0.72 * size * (std::cos(angle) * axes.col((i + 1) % 3) + std::sin(angle) * axes.col((i + 2) % 3)));
        }
        out.push_back(std::move(ring));
    }
    out.push_back({6, {at, at}});
    return out;
}

void ModelView::draw_handles(QPainter& p) const {
    static const char* names[] = {"X", "Y", "Z"};
    const QColor colours[] = {theme::stop, theme::good, theme::move};
    for (const Handle& h : handles()) {
        const bool held = held_.axis == h.axis;
        if (h.axis == 6) {
            p.setPen(QPen(theme::accent, 1.5));
            p.setBrush(held ? theme::accent : theme::panel);
            if (const auto at = pixel_of(h.line.front())) p.drawEllipse(*at, 5, 5);
            p.setBrush(Qt::NoBrush);
            continue;
        }
        p.setPen(QPen(colours[h.axis % 3], held ? 4 : 2.4));
        for (std::size_t i = 0; i + 1 < h.line.size(); ++i) draw_line(p, h.line[i], h.line[i + 1], h.axis < 3);
        p.setFont(theme::font(10, true));
        if (const auto end = pixel_of(h.line.back()); end && h.axis < 3)
            p.drawText(*end + QPointF(4, 4), names[h.axis]);
    }
    const bool holding = holds();
    if (workspace_.hand.how().picking || holding) {
        QString text = tr("Click a surface: the tool goes there, pointing into it");
        if (holding && held_.axis >= 0 && held_.axis < 3)
            text = tr("%1 %2 mm").arg(names[held_.axis]).arg(1e3 * held_.value, 0, 'f', 1);
        else if (holding && held_.axis >= 3 && held_.axis < 6)
            text = tr("R%1 %2 \u00b0")
                       .arg(QString(names[held_.axis - 3]).toLower())
                       .arg(held_.value * 180 / geometry::pi, 0, 'f', 1);
        else if (holding && held_.axis == 6) text = tr("moved %1 mm").arg(1e3 * held_.value, 0, 'f', 1);
        else if (holding && held_.joint >= 0)
            text = QString::fromStdString(
                workspace_.open.cell()->devices[workspace_.hand.arm()].arm->model->mechanism.joints[held_.joint].name);
        p.setFont(theme::font(11, true));
        QRectF box(10, 24, QFontMetricsF(p.font()).horizontalAdvance(text) + 10, 18);
        p.fillRect(box, QColor(0xFC, 0xFA, 0xF5, 230));
        p.setPen(theme::accent);
        p.drawText(box, Qt::AlignCenter, text);
    }
}

bool ModelView::holds() const {
    const int arm = workspace_.hand.arm();
    if (arm < 0 || (held_.axis < 0 && held_.joint < 0)) return false;
    const cell::Device& d = workspace_.open.cell()->devices[arm];
    return d.id == held_.arm && d.arm->model_key == held_.model;
}

bool ModelView::grab(const QPointF& at, Qt::KeyboardModifiers keys) {
    held_.axis = held_.joint = -1;
    const int arm = workspace_.hand.arm();
    if (arm < 0) return false;
    held_.arm = workspace_.open.cell()->devices[arm].id;
    held_.model = workspace_.open.cell()->devices[arm].arm->model_key;
    if (workspace_.hand.how().picking) {
        ByHand by_hand = workspace_.hand.how();
        by_hand.picking = false;
        workspace_.hand.set_how(by_hand);
        if (const auto found = surface_at(at)) Q_EMIT workspace_.hand.picked(found->first, found->second);
        held_.axis = 7;  // nothing that is dragged
        return true;
    }
    if (keys & Qt::ShiftModifier) return false;
    if (workspace_.hand.how().frame == ByHand::Frame::joint) return grab_link(at);
    double nearest = 9;
    for (const Handle& h : handles())
        for (std::size_t i = 0; i + 1 < h.line.size(); ++i) {
            const auto a = pixel_of(h.line[i]), b = pixel_of(h.line[i + 1]);
            if (!a || !b) continue;
            const QPointF along = *b - *a;
            const double length2 = std::max(1e-9, QPointF::dotProduct(along, along)),
                         share = std::clamp(QPointF::dotProduct(at - *a, along) / length2, 0.0, 1.0);
            const double away = QLineF(at, *a + share * along).length();
            if (away >= nearest) continue;
            nearest = away;
            held_.axis = h.axis;
            held_.point = h.line[i] + share * (h.line[i + 1] - h.line[i]);
        }
    if (held_.axis < 0) return false;
    held_.tool = workspace_.tool_by_hand();
    held_.axes = hand_axes();
    held_.pixel = at;
    held_.value = 0;
    return true;
}

/// The link under the pointer, by the joint with a drive that moves it.
bool ModelView::grab_link(const QPointF& at) {
    const int arm = workspace_.hand.arm();
    const cell::Device& d = workspace_.open.cell()->devices[arm];
    const kinematics::Mechanism& m = d.arm->model->mechanism;
    Vector3 where;
    int link = -1;
    if (owner_at(at, &where, &link) != arm || link <= 0) return false;
    for (const int code : m.chain(link)) {
        if (code < m.size()) held_.joint = code;
        else m.followers[code - m.size()].ratios.cwiseAbs().maxCoeff(&held_.joint);
    }
    if (held_.joint < 0) return false;
    std::vector<Frame> frames;
    m.link_frames(workspace_.hand.joints(arm), d.world, frames);
    held_.link = link;
    held_.point = frames[link].inverse() * where;
    return true;
}

void ModelView::dragged(const QPointF& at) {
    const int arm = workspace_.hand.arm();
    if (!holds() || held_.axis == 7) return;
    const ByHand& hand = workspace_.hand.how();
    const bool steps = QGuiApplication::keyboardModifiers() & Qt::ControlModifier;
    const cell::Device& d = workspace_.open.cell()->devices[arm];
    if (held_.joint >= 0) {
        const kinematics::Mechanism& m = d.arm->model->mechanism;
        const kinematics::Joint& j = m.joints[held_.joint];
        const bool hinge = j.type == kinematics::JointType::hinge;
        kinematics::JointVector q = workspace_.hand.joints(arm);
        std::vector<Frame> frames;
        double v = follow_pixel(at, q[held_.joint], j.low, j.high, hinge ? 1e-3 : 1e-4,
            hinge ? 0.2 : 0.05 * camera().distance, [&](double value) {
                kinematics::JointVector there = q;
                there[held_.joint] = value;
                m.link_frames(there, d.world, frames);
                return Vector3(frames[held_.link] * held_.point);
            });
        const double step = hinge ? hand.deg * geometry::pi / 180 : 1e-3 * hand.mm;
        if (steps) v = std::clamp(std::round(v / step) * step, j.low, j.high);
        q[held_.joint] = v;
        return workspace_.hand.pose(d.id, q);
    }
    Frame tool = held_.tool;
    const Vector3 origin = held_.tool.translation();
    if (held_.axis < 3) {
        const Vector3 along = held_.axes.col(held_.axis);
        held_.value = follow_pixel(at, held_.value, -20, 20, 1e-4, 0.1 * camera().distance,
            [&](double v) { return Vector3(held_.point + v * along); });
        if (steps) held_.value = std::round(held_.value / (1e-3 * hand.mm)) * 1e-3 * hand.mm;
        tool.translation() += held_.value * along;
    } else if (held_.axis < 6) {
        const Vector3 about = held_.axes.col(held_.axis - 3);
        held_.value = follow_pixel(at, held_.value, -geometry::pi, geometry::pi, 1e-3, 0.2,
            [&](double v) { return Vector3(origin + geometry::rotation(about, v) * (held_.point - origin)); });
        const double step = hand.deg * geometry::pi / 180;
        if (steps) held_.value = std::round(held_.value / step) * step;
        tool.linear() = (geometry::rotation(about, held_.value) * tool.linear()).eval();
    } else {
        const Vector3 sight = (camera().at - camera().eye()).normalized(),
                      right = sight.cross(Vector3::UnitZ()).norm() > 1e-3
                                  ? Vector3(sight.cross(Vector3::UnitZ()).normalized())
                                  : Vector3(-std::sin(camera().turn), std::cos(camera().turn), 0);
        const auto here = pixel_of(origin), beside = pixel_of(origin + 0.01 * right);
        if (!here || !beside) return;
        const double metres = 0.01 / std::max(1e-6, QLineF(*here, *beside).length());
        const QPointF by = at - held_.pixel;
        const Vector3 moved = metres * (by.x() * right - by.y() * right.cross(sight));
        held_.value = moved.norm();
        tool.translation() += moved;
    }
    workspace_.hand.bring_tool(tool, false);
    renew();
}

void ModelView::dropped() {
    held_.joint = -1;
    QTimer::singleShot(0, this, [this] {  // the click that ends the drag is not one on the arm
        held_.axis = -1;
        renew();
    });
}

/// Frames and names over the bodies, where they are asked for.
void ModelView::draw_devices(QPainter& p) const {
    const Shown& shown = workspace_.view_options.shown();
    for (const cell::Device& d : workspace_.open.cell()->devices) {
        if (workspace_.view_options.hidden(d.id)) continue;
        const auto origin = pixel_of(d.world.translation());
        if (shown.frames) draw_axes(p, d.world, 0.15);
        const geometry::Box3 box = d.extent();
        const auto top = box.empty() ? origin
                                     : pixel_of(d.world * Vector3(0.5 * (box.low.x() + box.high.x()),
                                                              0.5 * (box.low.y() + box.high.y()), box.high.z()));
        if (!shown.model_names || !top) continue;
        p.setFont(theme::font(10));
        const QString name = QString::fromStdString(d.name);
        QRectF label(0, 0, QFontMetricsF(p.font()).horizontalAdvance(name) + 6, 14);
        label.moveCenter(*top - QPointF(0, 9));
        p.fillRect(label, QColor(0xFC, 0xFA, 0xF5, 205));
        p.setPen(workspace_.selection.has(d.id) ? theme::accent : theme::ink);
        p.drawText(label, Qt::AlignCenter, name);
    }
}

void ModelView::paint_words(QPainter& p) {
    if (workspace_.view_options.shown() == Shown::nothing()) return;
    draw_devices(p);
    p.setPen(QPen(theme::move, 2));
    for (const auto& part : workspace_.shown.path())
        for (std::size_t i = 0; i + 1 < part.size(); ++i) draw_line(p, part[i], part[i + 1]);
    draw_handles(p);
    p.setFont(theme::font(12, true));
    p.setPen(theme::muted);
    p.drawText(QPointF(10, 16), tr("MODEL"));
    const double after = 18 + QFontMetricsF(p.font()).horizontalAdvance(tr("MODEL"));
    p.setFont(theme::font(11));
    QString sub = tr("%1 s").arg(workspace_.playhead.time(), 0, 'f', 2);
    const int device = workspace_.open.cell()->device(workspace_.selection.first().device.toStdString());
    if (device >= 0)
        sub = QString::fromStdString(workspace_.open.cell()->devices[device].name) + QStringLiteral(" \u00b7 ") + sub;
    theme::text(p, QRectF(after, 3, width() - after - 6, 18), sub);
    if (!working())
        p.drawText(rect(), Qt::AlignCenter, tr("This display has no OpenGL 3.3;\nthe model cannot be drawn."));
    // Joint values and tool pose of a selected arm, at a glance.
    if (device < 0 || !workspace_.open.cell()->devices[device].arm) return;
    const cell::Device& d = workspace_.open.cell()->devices[device];
    const simulation::Scene::Mover& arm = *workspace_.shown.scene().mover(device);
    const kinematics::JointVector& q = arm.q;
    const Frame& tool = arm.tool;
    using geometry::degree;
    QStringList rows;
    const auto tenths = [](double v) { return QString::number(std::abs(v) < 0.05 ? 0.0 : v, 'f', 1); };
    QString joints;
    for (int j = 0; j < q.size(); ++j) {
        const bool hinge = d.arm->model->mechanism.joints[j].type == kinematics::JointType::hinge;
        joints += QString("%1%2")
                      .arg(j ? QStringLiteral("  ") : QString())
                      .arg(hinge ? tenths(q[j] / degree) : tr("%1 mm").arg(tenths(q[j] * 1e3)));
    }
    const Vector3 r = geometry::to_triple(tool.linear()) / degree, o = tool.translation() * 1e3;
    rows << tr("joints  %1 \u00b0").arg(joints)
         << tr("tool in world  X %1  Y %2  Z %3 mm").arg(tenths(o.x()), tenths(o.y()), tenths(o.z()))
         << tr("Rx %1  Ry %2  Rz %3 \u00b0 (fixed x, y, z)").arg(tenths(r.x()), tenths(r.y()), tenths(r.z()));
    p.setFont(theme::font(10));
    p.fillRect(QRectF(0, height() - 48, width(), 48), QColor(0xFC, 0xFA, 0xF5, 225));
    p.setPen(theme::ink);
    for (int i = 0; i < rows.size(); ++i) theme::text(p, QRectF(8, height() - 46 + 15 * i, width() - 12, 15), rows[i]);
}

}  // namespace escarp::desktop
