#include "scene_view.h"

#include <QMatrix4x4>
#include <QMouseEvent>
#include <QPainter>
#include <QWindow>
#include <cmath>

#include <cell/text/content_key.h>
#include <desktop/looks/theme.h>
#include <geometry/distance.h>
#include <geometry/mesh.h>

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

namespace {

const QColor ground = QColor::fromRgbF(0.925f, 0.910f, 0.875f);

/// Mixed with the accent: what is selected stands out in any colour.
QColor highlighted(const QColor& c) {
    return QColor::fromRgbF(0.5f * static_cast<float>(c.redF()) + 0.45f, 0.55f * static_cast<float>(c.greenF()) + 0.22f,
        0.55f * static_cast<float>(c.blueF()) + 0.12f);
}

QMatrix4x4 matrix(const Frame& f) {
    QMatrix4x4 m;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) m(r, c) = static_cast<float>(f.matrix()(r, c));
    return m;
}

QVector4D vec(const QColor& c, float opacity) {
    return {static_cast<float>(c.redF()), static_cast<float>(c.greenF()), static_cast<float>(c.blueF()), opacity};
}
QVector3D vec(const Vector3& v) {
    return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())};
}

}  // namespace

namespace {
constexpr double field_of_view = 35;   ///< from below to above, degrees
constexpr float behind_wires = 0.07f;  ///< opacity of what one sees through
constexpr int fine = 2;                ///< how much larger the smooth picture is drawn
constexpr int refine_after_ms = 120;   ///< of rest
}  // namespace

Vector3 Camera::eye() const {
    return at + distance * Vector3(std::cos(tilt) * std::cos(turn), std::cos(tilt) * std::sin(turn), std::sin(tilt));
}

SceneView::SceneView(QWidget* parent) : QWidget(parent), drawer_(this) {
    setMinimumSize(220, 200);
    setFocusPolicy(Qt::ClickFocus);
    setAttribute(Qt::WA_OpaquePaintEvent);
    connect(&drawer_, &SceneDrawer::drawn, this, [this](const QImage& picture, quint64 number) {
        picture_ = picture;
        shown_ = number;
        update();
        if (refines_ && coarse_) refine_.start(refine_after_ms);
    });
    refine_.setSingleShot(true);
    connect(&refine_, &QTimer::timeout, this, [this] {
        if (stale_ || !coarse_ || shown_ != asked_ || !isVisible()) return;
        coarse_ = false;
        drawer_.draw(scene(fine));
    });
}

void SceneView::renew() {
    if (isVisible()) update();
    stale_ = true;
}

void SceneView::show_box(const geometry::Box3& box, double share) {
    const Vector3 back = (camera_.eye() - camera_.at).normalized();
    const Vector3 right(-std::sin(camera_.turn), std::cos(camera_.turn), 0), up = back.cross(right);
    const double high = share * std::tan(0.5 * field_of_view * geometry::degree),
                 wide = high * std::max(1, width()) / std::max(1, height());
    camera_.at = 0.5 * (box.low + box.high);
    // What is nearer to the eye looks larger: the middle of the picture is not that of the box.
    for (int round = 0; round < 3; ++round) {
        camera_.distance = 0.3;
        const auto each = [&](auto&& act) {
            for (int k = 0; k < 8; ++k)
                act(Vector3(Vector3(k & 1 ? box.high.x() : box.low.x(), k & 2 ? box.high.y() : box.low.y(),
                                k & 4 ? box.high.z() : box.low.z()) -
                            camera_.at));
        };
        each([&](const Vector3& corner) {
            camera_.distance = std::max({camera_.distance, corner.dot(back) + std::abs(corner.dot(right)) / wide,
                corner.dot(back) + std::abs(corner.dot(up)) / high});
        });
        Vector3 least = Vector3::Constant(1e300), most = -least;
        each([&](const Vector3& corner) {
            const double away = std::max(0.1, camera_.distance - corner.dot(back));
            const Vector3 seen(corner.dot(right) / away, corner.dot(up) / away, 0);
            least = least.cwiseMin(seen), most = most.cwiseMax(seen);
        });
        const Vector3 middle = 0.5 * camera_.distance * (least + most);
        camera_.at += middle.x() * right + middle.y() * up;
    }
    renew();
}

void SceneView::draw_axes(QPainter& p, const Frame& at, double length, double width) const {
    static const char* letters[] = {"x", "y", "z"};
    const QColor colours[] = {theme::stop, theme::good, theme::move};
    p.setFont(theme::font(9));
    for (int axis = 0; axis < 3; ++axis) {
        p.setPen(QPen(colours[axis], width));
        const Vector3 end = at * Vector3(length * Vector3::Unit(axis));
        draw_line(p, at.translation(), end);
        if (const auto pixel = pixel_of(end)) p.drawText(*pixel + QPointF(3, 3), letters[axis]);
    }
}

void SceneView::draw_line(QPainter& p, const Vector3& from, const Vector3& to, bool arrow) const {
    const auto a = pixel_of(from), b = pixel_of(to);
    if (!a || !b) return;
    p.drawLine(*a, *b);
    const QPointF along = *b - *a;
    const double length = std::hypot(along.x(), along.y());
    if (!arrow || length < 4) return;
    const QPointF u = along / length, side(-u.y(), u.x());
    p.drawLine(*b, *b - 7 * u + 3.5 * side);
    p.drawLine(*b, *b - 7 * u - 3.5 * side);
}

cell::json SceneView::view_state() const {
    return {{"turn_deg", camera_.turn * 180 / geometry::pi}, {"tilt_deg", camera_.tilt * 180 / geometry::pi},
        {"distance_mm", 1e3 * camera_.distance},
        {"at_mm", {1e3 * camera_.at.x(), 1e3 * camera_.at.y(), 1e3 * camera_.at.z()}}};
}

void SceneView::set_view_state(const cell::json& s) {
    camera_.turn = s.value("turn_deg", -66.0) * geometry::pi / 180;
    camera_.tilt = std::clamp(s.value("tilt_deg", 35.0) * geometry::pi / 180, -0.2, 1.5708);
    camera_.distance = std::clamp(1e-3 * s.value("distance_mm", 5000.0), 0.2, 200.0);
    if (s.contains("at_mm") && s["at_mm"].size() == 3)
        camera_.at =
            1e-3 * Vector3(s["at_mm"][0].get<double>(), s["at_mm"][1].get<double>(), s["at_mm"][2].get<double>());
    fitted_ = false;
    renew();
}

void SceneView::look(double turn, double tilt) {
    camera_.turn = turn;
    camera_.tilt = tilt;
    if (fitted_) fit_again();
    renew();
}

const Skin& SceneView::skin_of(const Item& item, geometry::Finish finish) {
    cell::ContentKey key;
    if (item.surface) key.add(item.surface->key);
    else cell::add_bodies(key, {{"", *item.shape, Frame::Identity()}}), key.add(static_cast<int>(finish));
    KeptSkin& kept = skins_[key.value()];
    kept.used = looks_;
    if (!kept.skin.body) kept.skin = item.surface ? skin(*item.surface->surface) : skin(*item.shape, finish);
    return kept.skin;
}

QMatrix4x4 SceneView::projection() const {
    QMatrix4x4 m;
    m.perspective(static_cast<float>(field_of_view),
        static_cast<float>(width()) / static_cast<float>(std::max(1, height())),
        static_cast<float>(0.02 * camera_.distance), static_cast<float>(20 * camera_.distance));
    return m;
}

QMatrix4x4 SceneView::sight() const {
    QMatrix4x4 m;
    const Vector3 forward = camera_.at - camera_.eye();
    const Vector3 up =
        std::abs(camera_.tilt) > 1.5 ? Vector3(-std::cos(camera_.turn), -std::sin(camera_.turn), 0) : Vector3::UnitZ();
    m.lookAt(vec(camera_.eye()), vec(Vector3(camera_.eye() + forward)), vec(up));
    return m;
}

/// What is to be seen now.
Scene SceneView::scene(int finer) {
    constexpr quint64 now_and_then = 64;
    if (++looks_ % now_and_then == 0)  // sizes that were tried and left
        std::erase_if(skins_, [this](const auto& one) { return one.second.used + now_and_then < looks_; });
    static const QVector4D chosen(0.70f, 0.32f, 0.10f, 1), ink(0.12f, 0.16f, 0.20f, 1);
    Scene s;
    s.fine = finer;
    const double pixels_at_1m = 0.5 * height() * devicePixelRatioF() / std::tan(0.5 * field_of_view * geometry::degree);
    const auto add = [&](const std::shared_ptr<const SceneMesh>& mesh, const Frame& at, const QVector4D& face,
                         QVector4D line) {
        // More edges than pixels for them would be one dark spot, and take the time of all: the smooth picture has them.
        const double away = std::max(1e-3, (at.translation() - camera_.eye()).norm() - mesh->bound);
        const double pixels = 2 * mesh->bound / away * pixels_at_1m;
        constexpr double too_small = 0.5;  // nobody would see it
        if (pixels < too_small) return;
        if (finer == 1 && static_cast<double>(mesh->lines.size() / 2) > pixels) line.setW(0);
        s.items.push_back({mesh, matrix(at), face, line});
    };
    // A belt's bed has thousands of corners: from so far that it is a strip, it is drawn as one.
    const auto finish_seen = [&](const Item& item) {
        constexpr double strip = 12;  // pixels
        if (item.finish != geometry::Finish::belt || !item.shape) return item.finish;
        const double away = (item.at.translation() - camera_.eye()).norm() - item.shape->half().norm();
        const double wide = 2 * std::min(item.shape->half().x(), item.shape->half().y()) * pixels_at_1m;
        return wide < strip * std::max(away, 1e-3) ? geometry::Finish::solid : item.finish;
    };
    for (const Item& item : items()) {
        if (!item.drawn) continue;
        const Skin& skin = skin_of(item, finish_seen(item));
        const QVector4D face = vec(item.selected ? highlighted(item.colour) : item.colour, 1);
        const QVector4D line = item.selected ? chosen : ink;
        const auto mixed = [](const QVector4D& a, const QVector4D& b, float share) { return a + share * (b - a); };
        QVector4D seen = face;
        if (item.see_through) seen.setW(item.finish == geometry::Finish::wire ? behind_wires : item.opacity);
        add(skin.body, item.at, seen, item.finish == geometry::Finish::wire ? mixed(line, vec(ground, 1), 0.5f) : line);
        if (skin.trim) {
            constexpr float dark = 0.45f;
            const bool on_dark = QVector3D::dotProduct(face.toVector3D(), {0.3f, 0.6f, 0.1f}) < dark;
            add(skin.trim, item.at, mixed(face, vec(on_dark ? ground : theme::ink, 1), 0.45f), mixed(face, line, 0.75f));
        }
    }
    s.view = sight(), s.lens = projection();
    s.floor_x = static_cast<float>(std::round(camera_.at.x())),
    s.floor_y = static_cast<float>(std::round(camera_.at.y()));
    s.floor_reach = static_cast<float>(std::clamp(1.6 * camera_.distance, 3.0, 10.0));
    s.size = size() * devicePixelRatioF();
    s.number = ++asked_;
    return s;
}

/// The picture that there is, and a newer one asked for where something changed; an ordinary widget as far as the
/// window is concerned.
void SceneView::paintEvent(QPaintEvent*) {
    // One scene at a time: what changes meanwhile is asked for when the picture comes.
    if (stale_ && shown_ == asked_ && drawer_.working()) {
        stale_ = false;
        coarse_ = true;
        drawer_.draw(scene(1));
    }
    QPainter p(this);
    if (picture_.isNull()) p.fillRect(rect(), ground);
    else p.drawImage(rect(), picture_);
    p.setRenderHint(QPainter::Antialiasing);
    paint_words(p);
}

bool SceneView::picture_current() const {
    const QWindow* on = window()->windowHandle();
    if (!drawer_.working() || !isVisible() || !on || !on->isExposed()) return true;
    return !stale_ && shown_ == asked_ && !(refines_ && coarse_);
}

QImage SceneView::picture() {
    QImage with_words(size(), QImage::Format_RGB32);
    with_words.fill(ground);
    if (drawer_.working()) {
        drawer_.draw(scene(fine));
        stale_ = false;
        with_words = drawer_.wait().scaled(size(), Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
    }
    QPainter p(&with_words);
    p.setRenderHint(QPainter::Antialiasing);
    paint_words(p);
    return with_words;
}

void SceneView::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    renew();
}

std::optional<QPointF> SceneView::pixel_of(const Vector3& world) const {
    const QVector4D seen = projection() * sight() * QVector4D(vec(world), 1.0f);
    if (seen.w() <= 0) return std::nullopt;
    return QPointF((seen.x() / seen.w() + 1) * 0.5 * width(), (1 - seen.y() / seen.w()) * 0.5 * height());
}

int SceneView::owner_at(const QPointF& pixel, Vector3* where, int* part) const {
    const QMatrix4x4 back = (projection() * sight()).inverted();
    const float x = static_cast<float>(2 * pixel.x() / width() - 1),
                y = static_cast<float>(1 - 2 * pixel.y() / height());
    const QVector3D far = back.map(QVector3D(x, y, 0.999f));
    const Vector3 eye = camera_.eye(), along = (Vector3(far.x(), far.y(), far.z()) - eye).normalized();
    double nearest = 1e300;
    int owner = -1;
    std::vector<Item> all = items();  // what can be seen through is clicked through, unless nothing is behind it
    std::stable_partition(all.begin(), all.end(), [](const Item& item) { return !item.see_through; });
    for (const Item& item : all) {
        if (item.owner < 0 || (item.see_through && owner >= 0)) continue;
        const auto meets = [&](double length) {
            return geometry::separation(
                       geometry::Convex::segment(eye, eye + length * along), Frame::Identity(), *item.shape, item.at)
                       .distance <= 1e-4;
        };
        double high = std::min(nearest, 20 * camera_.distance), low = 0;
        if (!meets(high)) continue;
        while (high - low > 1e-3) (meets(0.5 * (low + high)) ? high : low) = 0.5 * (low + high);
        if (high >= nearest) continue;
        nearest = high, owner = item.owner;
        if (part) *part = item.part;
    }
    if (where && owner >= 0) *where = eye + nearest * along;
    return owner;
}

std::optional<std::pair<Vector3, Vector3>> SceneView::surface_at(const QPointF& pixel) const {
    Vector3 at, right, up;
    const int owner = owner_at(pixel, &at);
    if (owner < 0) return std::nullopt;
    const Vector3 to_eye = (camera_.eye() - at).normalized();
    // Two points beside it on the same body give the plane; at a rim the other side is taken.
    const auto beside = [&](const QPointF& by, Vector3& out) {
        for (const double sign : {1.0, -1.0})
            if (owner_at(pixel + sign * by, &out) == owner && (out - at).norm() < 0.05 * camera_.distance) {
                out = (sign * (out - at)).eval();
                return true;
            }
        return false;
    };
    if (!beside({4, 0}, right) || !beside({0, -4}, up)) return std::pair{at, to_eye};
    Vector3 outward = right.cross(up);
    if (outward.norm() < 1e-9) return std::pair{at, to_eye};
    outward.normalize();
    // Rays end within a millimetre of the surface: a plane along an axis is meant to be just that.
    for (int axis = 0; axis < 3; ++axis)
        if (std::abs(outward[axis]) > 0.98) outward = (outward[axis] > 0 ? 1.0 : -1.0) * Vector3(Vector3::Unit(axis));
    return std::pair{at, outward.dot(to_eye) < 0 ? Vector3(-outward) : outward};
}

double SceneView::follow_pixel(const QPointF& pixel, double value, double low, double high, double nudge, double most,
    const std::function<Vector3(double)>& point) const {
    for (int round = 0; round < 30; ++round) {
        const auto here = pixel_of(point(value)), beside = pixel_of(point(value + nudge));
        if (!here || !beside) break;
        const QPointF rate = (*beside - *here) / nudge;
        const double damped =
            QPointF::dotProduct(rate, rate) + 25;  // pixels^2: what hardly moves on the screen does not run away
        const double next =
            std::clamp(value + std::clamp(QPointF::dotProduct(rate, pixel - *here) / damped, -most, most), low, high);
        if (std::abs(next - value) < 1e-6) break;
        value = next;
    }
    return value;
}

void SceneView::mousePressEvent(QMouseEvent* event) {
    pressed_ = last_ = event->position();
    grabbed_ = event->button() == Qt::LeftButton && grab(event->position(), event->modifiers());
}

void SceneView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF d = event->position() - last_;
    last_ = event->position();
    if (grabbed_) return dragged(event->position());
    if (event->buttons() & Qt::LeftButton && !(event->modifiers() & Qt::ShiftModifier)) {
        fitted_ = false;  // an eye that was turned by hand stays where it is
        camera_.turn -= d.x() * 0.008;
        camera_.tilt = std::clamp(camera_.tilt + d.y() * 0.008, -0.2, 1.5707);
    } else if (event->buttons()) {
        const Vector3 right(-std::sin(camera_.turn), std::cos(camera_.turn), 0);
        const Vector3 up = right.cross((camera_.at - camera_.eye()).normalized());
        camera_.at += camera_.distance * 0.0012 * (-d.x() * right + d.y() * up);
        fitted_ = false;
    }
    renew();
}

void SceneView::mouseReleaseEvent(QMouseEvent* event) {
    if (grabbed_) dropped();
    const bool was = std::exchange(grabbed_, false);
    if ((event->position() - pressed_).manhattanLength() > 4 || event->button() != Qt::LeftButton) return;
    const int owner = owner_at(event->position());
    if (!was || owner >= 0) clicked(owner, event->modifiers());
}

void SceneView::wheelEvent(QWheelEvent* event) {
    camera_.distance = std::clamp(camera_.distance * std::pow(0.9988, event->angleDelta().y()), 0.2, 200.0);
    fitted_ = false;
    renew();
}

}  // namespace escarp::desktop
