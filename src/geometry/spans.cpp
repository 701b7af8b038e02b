#include "spans.h"
#include "indices.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace escarp::geometry {
namespace {

constexpr double sure = 1e-9;  // m: every body is grown by so much, for rounding
constexpr double none_low = 1e300, none_high = -1e300;

}  // namespace

Facets::Facets(const Convex& shape, double chord) : shape_(shape) {
    const Vector3& half = shape.half();
    std::vector<Corner> ring;
    const auto add = [&](const Vector3& at, double turn, double sharp) {
        ring.push_back({at, sharp * Vector3(std::cos(turn), std::sin(turn), 0)});
    };
    switch (shape.core()) {
        case Convex::Core::box: {  // each of its upright edges is broken by half a right angle
            const double half_step = pi / 8, sharp = 1 / std::cos(half_step);
            for (int i = 0; i < 8; ++i) {
                const int corner = (i + 1) / 2 % 4;  // from the lower right one on
                const Vector3 at(corner == 0 || corner == 1 ? half.x() : -half.x(),
                    corner == 1 || corner == 2 ? half.y() : -half.y(), 0);
                add(at, (2 * i - 1) * half_step, sharp);
            }
            break;
        }
        case Convex::Core::cylinder: {
            constexpr int fewest = 8, most = 48;
            const int sides = std::clamp(round_up(pi / std::sqrt(2 * chord / std::max(1e-9, half.x()))), fewest, most);
            const double sharp = 1 / std::cos(pi / sides);
            for (int i = 0; i < sides; ++i) {
                const double turn = 2 * pi * i / sides;
                add(sharp * half.x() * Vector3(std::cos(turn), std::sin(turn), 0), turn, sharp);
            }
            break;
        }
        case Convex::Core::points: hull(shape.points()); break;
    }
    if (!ring.empty()) prism(ring, half.z());
    for (const Corner& c : corners_) middle_ += c.at / static_cast<double>(corners_.size());
}

/// Rings one above the other, where growing breaks the edges between side and end by half a right angle.
void Facets::prism(const std::vector<Corner>& ring, double half_height) {
    const int n = static_cast<int>(ring.size());
    const double inner = std::sqrt(2.0) - 1;
    const double profile[4][3] = {
        {-half_height, inner, -1}, {-half_height, 1, -inner}, {half_height, 1, inner}, {half_height, inner, 1}};
    for (const auto& [z, across, up] : profile)
        for (const Corner& c : ring) {
            corners_.push_back({{c.at.x(), c.at.y(), z}, {across * c.out.x(), across * c.out.y(), up}});
            far_ = std::max(far_, corners_.back().out.norm());
        }
    std::vector<int> bottom, top;
    for (int i = 0; i < n; ++i) bottom.push_back(n - 1 - i), top.push_back(3 * n + i);
    add_face(bottom), add_face(top);
    for (int layer = 0; layer < 3; ++layer)
        for (int i = 0; i < n; ++i) {
            const int here = layer * n + i, next = layer * n + (i + 1) % n;
            add_face({here, next, next + n, here + n});
        }
    find_edges();
}

void Facets::hull(std::vector<Vector3> points) {
    constexpr double flat = 1e-6;  // m: what has no body gets so much of one
    const auto farthest = [&points](const auto& measure) {
        return *std::max_element(
            points.begin(), points.end(), [&](const Vector3& a, const Vector3& b) { return measure(a) < measure(b); });
    };
    const Vector3 a = farthest([o = points.front()](const Vector3& p) { return (p - o).norm(); });
    const Vector3 b = farthest([&](const Vector3& p) { return (p - a).norm(); });
    if (points.size() <= 2) {
        for (const Vector3& p : points) corners_.push_back({p});
        if (points.size() == 2) edges_.push_back({0, 1, -1, -1});
        return;
    }
    const Vector3 along = (b - a).normalized();
    const auto off = [&](const Vector3& p) -> Vector3 { return p - a - (p - a).dot(along) * along; };
    const Vector3 c = farthest([&](const Vector3& p) { return off(p).norm(); });
    Vector3 side = off(c);
    if ((b - a).norm() < flat || side.norm() < flat) {  // a point or a line, with a little around it
        const std::vector<Vector3> line{a, b};
        points.clear();
        for (const Vector3& p : line)
            for (int corner = 0; corner < 8; ++corner)
                points.push_back(p + flat * Vector3(corner & 1 ? 1 : -1, corner & 2 ? 1 : -1, corner & 4 ? 1 : -1));
    } else {
        const Vector3 normal = along.cross(side.normalized());
        const auto height = [&](const Vector3& p) { return std::abs((p - a).dot(normal)); };
        if (height(farthest(height)) < flat) {
            std::vector<Vector3> thick;
            for (const Vector3& p : points) thick.push_back(p - flat * normal), thick.push_back(p + flat * normal);
            points = std::move(thick);
        }
    }
    const Mesh skin = mesh(Convex::hull(points));
    const auto less = [](const Vector3& p, const Vector3& q) {
        return std::lexicographical_compare(p.data(), p.data() + 3, q.data(), q.data() + 3);
    };
    std::map<Vector3, int, decltype(less)> known(less);
    for (const auto& t : skin.triangles) {
        std::vector<int> loop;
        for (const int i : t) {
            const auto [found, fresh] = known.try_emplace(skin.points[i], static_cast<int>(corners_.size()));
            if (fresh) corners_.push_back({skin.points[i]});
            loop.push_back(found->second);
        }
        add_face(loop);
    }
    find_edges();
}

/// `loop`: counter-clockwise seen from outside. Of the body grown by a metre, where every face has room.
void Facets::add_face(const std::vector<int>& loop) {
    const auto at = [&](std::size_t i) -> Vector3 {
        const Corner& c = corners_[loop[i % loop.size()]];
        return c.at + c.out;
    };
    Vector3 normal = Vector3::Zero();  // by all corners (Newell), so that no thin triangle decides
    for (std::size_t i = 0; i < loop.size(); ++i) normal += (at(i) - at(0)).cross(at(i + 1) - at(0));
    const double length = normal.norm();
    faces_.push_back({length > 0 ? Vector3(normal / length) : Vector3::Zero(), static_cast<int>(loops_.size()),
        static_cast<int>(loop.size())});
    loops_.insert(loops_.end(), loop.begin(), loop.end());
}

void Facets::find_edges() {
    std::map<std::pair<int, int>, std::size_t> known;
    for (const int f : indices(faces_))
        for (int i = 0; i < faces_[f].count; ++i) {
            const int a = loops_[faces_[f].first + i], b = loops_[faces_[f].first + (i + 1) % faces_[f].count];
            const auto [found, fresh] = known.try_emplace(std::minmax(a, b), edges_.size());
            if (fresh) edges_.push_back({a, b, f, -1});
            else edges_[found->second].right = f;
        }
}

/// Finds out which lines may meet it. False: none.
bool Spans::make_room(const Vector3& way, double grow, const LineGrid& grid) {
    Box3 box;
    for (const Corner& c : corners_) box.add(c.at - way, grow), box.add(c.at + way, grow);
    grid_ = grid;
    from_ = std::max(0, round_up((box.low.x() - grid.x0) / grid.edge));
    to_ = std::min(grid.columns - 1, round_down((box.high.x() - grid.x0) / grid.edge));
    base_ = std::max(0, round_up((box.low.y() - grid.y0) / grid.edge));
    const int top = std::min(grid.rows - 1, round_down((box.high.y() - grid.y0) / grid.edge));
    if (from_ > to_ || base_ > top) {
        to_ = from_ - 1;
        return false;
    }
    const auto columns = static_cast<std::size_t>(to_ - from_) + 1;
    room_ = static_cast<std::size_t>(top - base_) + 1;
    low_.assign(columns * room_, none_low), high_.assign(columns * room_, none_high);
    first_.assign(columns, top + 1), last_.assign(columns, base_ - 1);
    row_low_.resize(columns), row_high_.resize(columns);
    return true;
}

void Spans::seen(std::size_t column, int from, int to) {
    first_[column] = std::min(first_[column], from), last_[column] = std::max(last_[column], to);
}

/// Calls `fill(column, first row, last row)` for the lines within a convex polygon seen from above.
template <typename Fill>
void Spans::polygon(const Vector3* loop, int count, const Fill& fill) {
    double x_low = 1e300, x_high = -1e300;
    for (int i = 0; i < count; ++i) x_low = std::min(x_low, loop[i].x()), x_high = std::max(x_high, loop[i].x());
    const double per = 1 / grid_.edge;
    const auto column_from = [&](double x) { return std::max(from_, round_up((x - sure - grid_.x0) * per)); };
    const auto column_to = [&](double x) { return std::min(to_, round_down((x + sure - grid_.x0) * per)); };
    const int begin = column_from(x_low), end = column_to(x_high);
    if (begin > end) return;
    std::fill(row_low_.begin() + (begin - from_), row_low_.begin() + (end - from_ + 1), none_low);
    std::fill(row_high_.begin() + (begin - from_), row_high_.begin() + (end - from_ + 1), none_high);
    for (int i = 0; i < count; ++i) {
        const Vector3 *p = &loop[i], *q = &loop[(i + 1) % count];
        if (p->x() > q->x()) std::swap(p, q);
        const double dx = q->x() - p->x(), slope = dx > 0 ? (q->y() - p->y()) / dx : 0;
        const int last = column_to(q->x());
        for (int c = column_from(p->x()); c <= last; ++c) {
            const double x = std::clamp(grid_.x0 + c * grid_.edge, p->x(), q->x());
            // Steep edges from either end, so that both ends are met exactly.
            double y = p->y() + (x - p->x()) * slope, z = q->y() - (q->x() - x) * slope;
            if (y > z) std::swap(y, z);
            row_low_[c - from_] = std::min(row_low_[c - from_], y);
            row_high_[c - from_] = std::max(row_high_[c - from_], z);
        }
    }
    const int top = base_ + static_cast<int>(room_) - 1;
    for (int c = begin; c <= end; ++c) {
        const auto k = static_cast<std::size_t>(c - from_);
        const int from = std::max(base_, round_up((row_low_[k] - sure - grid_.y0) * per));
        const int to = std::min(top, round_down((row_high_[k] + sure - grid_.y0) * per));
        if (from > to) continue;
        seen(k, from, to);
        fill(k, from, to);
    }
}

/// A plane face, moved outwards by `grow`: the upper or the lower side of the body there.
void Spans::face(const Vector3* loop, int count, const Vector3& normal, double grow) {
    constexpr double upright = 1e-9;
    if (std::abs(normal.z()) < upright) return;  // no line runs through it; its edges are drawn
    const Vector3 out = grow * normal;
    loop_.resize(static_cast<std::size_t>(count));
    double z_low = 1e300, z_high = -1e300;
    for (int i = 0; i < count; ++i) {
        loop_[i] = loop[i] + out;
        z_low = std::min(z_low, loop_[i].z()), z_high = std::max(z_high, loop_[i].z());
    }
    const double by_x = -normal.x() / normal.z(), by_y = -normal.y() / normal.z();
    const double step = by_y * grid_.edge;
    const Vector3& on = loop_[0];
    polygon(loop_.data(), count, [&](std::size_t column, int from, int to) {
        const double x = grid_.x0 + (static_cast<double>(column) + from_) * grid_.edge;
        const double begin = on.z() + by_x * (x - on.x()) + by_y * (grid_.y0 + from * grid_.edge - on.y());
        const std::size_t first = column * room_ + static_cast<std::size_t>(from - base_);
        const int n = to - from + 1;
        if (normal.z() > 0) {
            double* high = &high_[first];
            for (int i = 0; i < n; ++i) high[i] = std::max(high[i], std::min(z_high, begin + i * step));
        } else {
            double* low = &low_[first];
            for (int i = 0; i < n; ++i) low[i] = std::min(low[i], std::max(z_low, begin + i * step));
        }
    });
}

/// An edge grown to a round bar without its ends. Where a line's foot on the edge lies between its ends.
void Spans::strip(const Vector3& from, const Vector3& to, double grow, const Vector3& inwards) {
    const Vector3 along = to - from;
    const double length = along.norm(), flat = along.head<2>().norm();
    if (length < 1e-12 || flat < 1e-9 * length) return;  // upright: its ends cover it
    const double rise = along.z() / length, share = flat / length;
    const Eigen::Vector2d ahead = along.head<2>() / flat, across(-ahead.y(), ahead.x());
    const double reach = std::abs(rise) * grow;
    // Beside the edge a normal is `off` to the side and up or down by what is left: neither looks inwards beyond this.
    double sides[2] = {-grow, grow};
    const double beside = across.dot(inwards.head<2>()),
                 above = share * inwards.z() - rise * ahead.dot(inwards.head<2>());
    if (std::abs(above) < std::abs(beside)) (beside > 0 ? sides[1] : sides[0]) *= std::abs(above / beside);
    Vector3 loop[4];
    for (int i = 0; i < 4; ++i) {
        const Eigen::Vector2d p = (i == 1 || i == 2 ? to : from).head<2>() +
                                  (i == 1 || i == 2 ? reach : -reach) * ahead + sides[i < 2 ? 0 : 1] * across;
        loop[i] = {p.x(), p.y(), 0};
    }
    const double slope = rise / share, thick = 1 / share, square = grow * grow, end = flat + sure;
    const double ahead_step = ahead.y() * grid_.edge, across_step = across.y() * grid_.edge, z = from.z();
    polygon(loop, 4, [&](std::size_t column, int first_row, int last_row) {
        const double x = grid_.x0 + (static_cast<double>(column) + from_) * grid_.edge - from.x(),
                     y = grid_.y0 + first_row * grid_.edge - from.y();
        const double ahead0 = ahead.x() * x + ahead.y() * y, across0 = across.x() * x + across.y() * y;
        const std::size_t first = column * room_ + static_cast<std::size_t>(first_row - base_);
        double* __restrict low = &low_[first], * __restrict high = &high_[first];
        const int n = last_row - first_row + 1;
        for (int i = 0; i < n; ++i) {
            const double on = ahead0 + i * ahead_step, off = across0 + i * across_step;
            const double width = std::sqrt(std::max(0.0, square - off * off));
            const double middle = z + on * slope, by = width * thick, lean = width * rise;
            const double top = on + lean, bottom = on - lean;
            high[i] = std::max(high[i], top >= -sure && top <= end ? middle + by : none_high);
            low[i] = std::min(low[i], bottom >= -sure && bottom <= end ? middle - by : none_low);
        }
    });
}

void Spans::ball(const Vector3& middle, double grow, const Vector3& inwards, const Vector3& also) {
    const double per = 1 / grid_.edge;
    const int begin = std::max(from_, round_up((middle.x() - grow - grid_.x0) * per));
    const int end = std::min(to_, round_down((middle.x() + grow - grid_.x0) * per));
    const int top = base_ + static_cast<int>(room_) - 1;
    for (int c = begin; c <= end; ++c) {
        const double dx = grid_.x0 + c * grid_.edge - middle.x(), square = std::max(0.0, grow * grow - dx * dx);
        const double half = std::sqrt(square);
        double y_low = -half, y_high = half;
        for (const Vector3* in : {&inwards, &also}) {  // normals that look inwards, whether they look up or down
            const double most = std::abs(in->z()) * half - dx * in->x() + sure;
            if (in->y() > 0) y_high = std::min(y_high, most / in->y());
            else if (in->y() < 0) y_low = std::max(y_low, most / in->y());
            else if (most < 0) y_low = 1, y_high = 0;
        }
        if (y_low > y_high) continue;
        const int from = std::max(base_, round_up((middle.y() + y_low - grid_.y0) * per));
        const int to = std::min(top, round_down((middle.y() + y_high - grid_.y0) * per));
        if (from > to) continue;
        const auto column = static_cast<std::size_t>(c - from_);
        seen(column, from, to);
        const std::size_t first = column * room_ + static_cast<std::size_t>(from - base_);
        double* __restrict low = &low_[first], * __restrict high = &high_[first];
        const double y = grid_.y0 + from * grid_.edge - middle.y(), z = middle.z(), edge = grid_.edge;
        const int n = to - from + 1;
        for (int i = 0; i < n; ++i) {
            const double dy = y + i * edge, by = std::sqrt(std::max(0.0, square - dy * dy));
            high[i] = std::max(high[i], z + by);
            low[i] = std::min(low[i], z - by);
        }
    }
}

void Spans::draw(const Facets& body, const Frame& at, const Vector3& way, double grow, const LineGrid& grid) {
    grow += body.shape().radius() + sure;
    corners_.clear();
    for (const Facets::Corner& c : body.corners()) corners_.push_back({at * (c.at + grow * c.out)});
    const bool round = body.round();
    if (!round) grow = 0;  // that is done
    if (!make_room(way, grow, grid)) return;
    const bool goes = !way.isZero();
    const std::size_t faces = body.faces().size();
    ahead_.resize(faces), normals_.resize(faces);
    for (std::size_t f = 0; f < faces; ++f) {
        const Facets::Face& face = body.faces()[f];
        normals_[f] = at.linear() * face.normal;
        ahead_[f] = normals_[f].dot(way) >= 0;
        moved_.clear();
        for (int i = 0; i < face.count; ++i) {
            Corner& c = corners_[body.loops()[face.first + i]];
            (ahead_[f] ? c.ahead : c.behind) = 1;
            moved_.push_back(ahead_[f] ? Vector3(c.at + way) : Vector3(c.at - way));
        }
        this->face(moved_.data(), face.count, normals_[f], grow);
    }
    const bool line = faces == 0;  // or a point; then what looks inwards is known
    const Vector3 none = Vector3::Zero();
    if (line)
        for (Corner& c : corners_) c.ahead = 1, c.behind = goes;
    for (const Facets::Edge& e : body.edges()) {
        const Vector3 &a = corners_[e.from].at, &b = corners_[e.to].at;
        if (!round && (!goes || ahead_[e.left] == ahead_[e.right])) continue;
        const bool free = e.left < 0 || e.right < 0;  // of a line, or beside a hole that cannot be
        if (!free && round && normals_[e.left].dot(normals_[e.right]) > 1 - 1e-12) continue;
        const bool forwards = free || ahead_[e.left] || ahead_[e.right];
        const bool backwards = goes && (free || !ahead_[e.left] || !ahead_[e.right]);
        if (round && forwards) strip(a + way, b + way, grow, line ? Vector3(-way) : none);
        if (round && backwards) strip(a - way, b - way, grow, line ? way : none);
        if (!forwards || !backwards) continue;
        const Vector3 normal = (b - a).cross(way);
        const double length = normal.norm();
        if (length < 1e-15) continue;
        const Vector3 between[4] = {a - way, b - way, b + way, a + way};
        for (const double side : {1 / length, -1 / length}) this->face(between, 4, side * normal, grow);
    }
    if (!round) return;
    for (const Corner& c : corners_) {
        const Vector3 other = corners_.size() == 2 ? Vector3(corners_[0].at + corners_[1].at - 2 * c.at) : none;
        if (c.ahead) ball(c.at + way, grow, line ? Vector3(-way) : none, other);
        if (c.behind && goes) ball(c.at - way, grow, line ? way : none, other);
        if (c.ahead && c.behind) strip(c.at - way, c.at + way, grow, other);
    }
}

}  // namespace escarp::geometry
