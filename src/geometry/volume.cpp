#include "volume.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "distance.h"

namespace escarp::geometry {
namespace {

constexpr int word_bits = 64;
constexpr std::size_t most_faces = 128;  // of a hull that lines are cut by; more are asked for distances alone
constexpr int most_steps = 24;           // towards a body's end

/// Each point goes half of the way to the middle of its neighbours, a few times; normals from the faces around it.
void smooth(Mesh& mesh) {
    constexpr int times = 4;
    for (int round = 0; round < times; ++round) {
        std::vector<Vector3> sum(mesh.points.size(), Vector3::Zero());
        std::vector<int> count(mesh.points.size(), 0);
        for (const auto& t : mesh.triangles)
            for (int i = 0; i < 3; ++i) {
                sum[t[i]] += mesh.points[t[(i + 1) % 3]] + mesh.points[t[(i + 2) % 3]];
                count[t[i]] += 2;
            }
        for (std::size_t p = 0; p < sum.size(); ++p)
            if (count[p] > 0) mesh.points[p] = 0.5 * mesh.points[p] + 0.5 / count[p] * sum[p];
    }
    mesh.normals.assign(mesh.points.size(), Vector3::Zero());
    for (const auto& t : mesh.triangles) {
        const Vector3 normal = (mesh.points[t[1]] - mesh.points[t[0]]).cross(mesh.points[t[2]] - mesh.points[t[0]]);
        for (const int p : t) mesh.normals[p] += normal;
    }
    for (Vector3& normal : mesh.normals) normal.normalize();
}

/// From the nearest point of a body's core to a point, in the body's axes.
Vector3 from_core(const Convex& shape, const Vector3& p) {
    switch (shape.core()) {
        case Convex::Core::box: return p - p.cwiseMax(-shape.half()).cwiseMin(shape.half());
        case Convex::Core::cylinder: {
            const double across = std::sqrt(p.x() * p.x() + p.y() * p.y());
            const double out = across > shape.half().x() ? 1 - shape.half().x() / across : 0;
            return {out * p.x(), out * p.y(), p.z() - std::clamp(p.z(), -shape.half().z(), shape.half().z())};
        }
        case Convex::Core::points: break;
    }
    const Separation s = separation(shape, Frame::Identity(), Convex::sphere(0), Frame(Eigen::Translation3d(p)));
    const Vector3 away = p - s.on_a;
    const double length = away.norm();
    return length > 0 ? Vector3((s.distance + shape.radius()) / length * away) : Vector3::Zero();
}

int floor_div(int a, int b) { return a >= 0 ? a / b : -((-a + b - 1) / b); }

}  // namespace

UprightCut::UprightCut(const Convex& shape) : shape_(shape) {
    if (shape.core() != Convex::Core::points) return;
    for (const Vector3& p : shape.points()) own_.add(p);
    if (shape.points().size() < 4) return;
    const Mesh faces = mesh(Convex::hull(shape.points()));
    for (const auto& t : faces.triangles) {
        const Vector3 &a = faces.points[t[0]], &b = faces.points[t[1]], &c = faces.points[t[2]];
        const Vector3 across = (b - a).cross(c - a);
        if (across.norm() < 1e-14) continue;
        const Vector3 n = across.normalized();
        const auto same = [&](const Vector3& other) { return other.dot(n) > 1 - 1e-12; };
        if (std::any_of(normals_.begin(), normals_.end(), same)) continue;
        normals_.push_back(n);
        offsets_.push_back(n.dot(shape.support(n)));
        if (normals_.size() <= most_faces) continue;
        normals_.clear(), offsets_.clear();
        return;
    }
}

UprightCut::Placed::Placed(const UprightCut& cut, const Frame& at, double grow)
    : cut_(cut),
      at_(at),
      into_(at.linear().transpose()),
      up_(into_.col(2)),
      grow_(grow + cut.shape_.radius()),
      box_(bounds(cut.shape_, at)) {
    box_.low -= Vector3::Constant(grow);
    box_.high += Vector3::Constant(grow);
    const Convex& shape = cut.shape_;
    const bool own = shape.core() == Convex::Core::points;
    if (own && shape.points().size() <= 2) {
        if (shape.points().size() < 2) return;
        axis_ = shape.points()[1] - shape.points()[0];
        const double length = axis_.squaredNorm();
        across_ = length > 0 ? Vector3(up_ - up_.dot(axis_) / length * axis_) : up_;
        return;
    }
    // A box that holds the core, and a hull's faces.
    const std::size_t planes = 3 + cut.normals_.size();
    over_.reserve(planes), under_.reserve(planes);
    for (int axis = 0; axis < 3; ++axis) {
        add_plane(-Vector3::Unit(axis), (own ? -cut.own_.low[axis] : shape.half()[axis]) + grow_);
        add_plane(Vector3::Unit(axis), (own ? cut.own_.high[axis] : shape.half()[axis]) + grow_);
    }
    for (std::size_t i = 0; i < cut.normals_.size(); ++i) add_plane(cut.normals_[i], cut.offsets_[i] + grow_);
}

/// `normal`, outwards, and `offset` in the body's axes.
void UprightCut::Placed::add_plane(const Vector3& normal, double offset) {
    constexpr double upright = 1e-12;
    const Vector3 n = at_.linear() * normal, o = at_.translation();
    const Plane inside{offset + n.x() * o.x() + n.y() * o.y(), -n.x(), -n.y()};
    if (std::abs(n.z()) < upright) {
        beside_.push_back(inside);
        return;
    }
    const double per = 1 / n.z();
    (per > 0 ? over_ : under_).push_back({per * inside.at_zero, per * inside.by_x, per * inside.by_y});
}

/// Between all planes.
bool UprightCut::Placed::between(double x, double y, double& low, double& high) const {
    for (const Plane& p : beside_)
        if (p.of(x, y) < 0) return false;
    for (const Plane& p : over_) high = std::min(high, p.of(x, y));
    for (const Plane& p : under_) low = std::max(low, p.of(x, y));
    return low <= high;
}

/// Within an endless cylinder about the body's z.
bool UprightCut::Placed::round(const Vector3& from, double& low, double& high) const {
    const double radius = cut_.shape_.half().x() + grow_;
    const double a = up_.x() * up_.x() + up_.y() * up_.y();
    const double b = from.x() * up_.x() + from.y() * up_.y();
    const double c = from.x() * from.x() + from.y() * from.y() - radius * radius;
    if (a < 1e-18) return c <= 0;
    const double root = b * b - a * c;
    if (root < 0) return false;
    low = std::max(low, (-b - std::sqrt(root)) / a), high = std::min(high, (-b + std::sqrt(root)) / a);
    return low <= high;
}

bool UprightCut::Placed::ball(const Vector3& from, const Vector3& centre, double& low, double& high) const {
    const Vector3 off = from - centre;
    const double b = off.dot(up_), square = b * b - off.squaredNorm() + grow_ * grow_;
    if (square < 0) return false;
    const double root = std::sqrt(square);
    low = -b - root, high = -b + root;
    return true;
}

/// Where it runs through the endless cylinder between the two ends, or else through the ball at that end.
bool UprightCut::Placed::capsule(const Vector3& from, double& low, double& high) const {
    constexpr double upright = 1e-18;
    const Vector3 &a = cut_.shape_.points()[0], &b = cut_.shape_.points()[1];
    const Vector3 off = from - a;
    const double length = axis_.squaredNorm(), aa = across_.squaredNorm();
    if (length <= upright) return ball(from, a, low, high);
    const double share = off.dot(axis_) / length, by = up_.dot(axis_) / length;
    double first = 0, last = 0;
    const auto on_ball = [&](double at_share) { return ball(from, at_share < 0 ? a : b, first, last); };
    if (aa <= upright) {  // along the axis
        if (!ball(from, by > 0 ? a : b, low, last)) return false;
        return ball(from, by > 0 ? b : a, first, high);
    }
    const double bb = across_.dot(off), cc = off.squaredNorm() - share * share * length - grow_ * grow_;
    const double square = bb * bb - aa * cc;
    if (square < 0) return false;
    const double root = std::sqrt(square), one = (-bb - root) / aa, two = (-bb + root) / aa;
    low = one, high = two;
    if (const double at = share + one * by; at < 0 || at > 1) {
        if (!on_ball(at)) return false;
        low = first;
    }
    if (const double at = share + two * by; at < 0 || at > 1) {
        if (!on_ball(at)) return false;
        high = last;
    }
    return true;
}

bool UprightCut::Placed::at(double x, double y, double slack, double& low, double& high) const {
    const Convex& shape = cut_.shape_;
    const bool planes = !over_.empty();
    low = -1e300, high = 1e300;
    if (planes && !between(x, y, low, high)) return false;
    // Seen from the body: the line's point at the world's z of its origin, and its direction.
    const Vector3 from = into_.col(0) * (x - at_.translation().x()) + into_.col(1) * (y - at_.translation().y());
    if (!planes) {
        const bool one = shape.points().size() == 1;
        if (!(one ? ball(from, shape.points().front(), low, high) : capsule(from, low, high))) return false;
    } else {
        if (shape.core() == Convex::Core::cylinder && !round(from, low, high)) return false;
        // Beside edges and corners the planes leave more than there is: on towards the body by Newton's method. The
        // distance to a convex body is a convex function along the line, so that no step goes too far.
        const bool is_hull = shape.core() == Convex::Core::points;
        const double near = (grow_ + slack) * (grow_ + slack);
        const auto towards = [&](double& end, double sign) {
            for (int i = 0; i < most_steps; ++i) {
                const Vector3 away = from_core(shape, from + end * up_);
                const double square = away.squaredNorm();
                if (square <= near) return true;
                const double distance = std::sqrt(square);
                // Of hulls the nearest point is not known as well as the distance: there a step of that length.
                const double nearing = is_hull ? distance : -sign * away.dot(up_);
                if (nearing <= 0) return false;  // farther on it is only farther away
                end += sign * (distance - grow_) * distance / nearing;
                if (low > high) return false;
            }
            return true;
        };
        if (!towards(low, 1) || !towards(high, -1)) return false;
    }
    low += at_.translation().z(), high += at_.translation().z();
    return low <= high;
}

Volume::Volume(double edge, const Box3& room) : edge_(edge), low_(Index::Zero()), size_(Index::Zero()) {
    if (room.empty()) return;
    for (int axis = 0; axis < 3; ++axis) {
        low_[axis] = cube(room.low[axis]);
        size_[axis] = cube(room.high[axis]) + 1 - low_[axis];
    }
    const int top = low_.z() + size_.z();
    low_.z() = floor_div(low_.z(), word_bits) * word_bits;
    words_ = (top - low_.z() + word_bits - 1) / word_bits;
    size_.z() = words_ * word_bits;
    bits_.assign(static_cast<std::size_t>(size_.x()) * size_.y() * words_, 0);
}

int Volume::cube(double x) const { return static_cast<int>(std::floor(x / edge_)); }

const std::uint64_t* Volume::column(int x, int y) const {
    x -= low_.x(), y -= low_.y();
    if (x < 0 || y < 0 || x >= size_.x() || y >= size_.y()) return nullptr;
    return &bits_[(static_cast<std::size_t>(x) * size_.y() + y) * words_];
}

bool Volume::has(int x, int y, int z) const {
    const std::uint64_t* bits = column(x, y);
    z -= low_.z();
    return bits && z >= 0 && z < size_.z() && (bits[z / word_bits] >> (z % word_bits) & 1);
}

/// Calls `use(first word of a column, word, mask)` for all that a body grown by `grow` touches; until it says true.
template <typename Use>
bool Volume::each_stretch(const UprightCut& cut, const Frame& at, double grow, const Use& use) const {
    // A cube is touched where its middle is no farther from the body than half its diagonal.
    const UprightCut::Placed body(cut, at, grow + 0.5 * std::sqrt(3.0) * edge_);
    const double slack = 0.01 * edge_;
    const auto first = [&](double low) { return static_cast<int>(std::ceil(low / edge_ - 0.5)); };
    const auto last = [&](double high) { return static_cast<int>(std::floor(high / edge_ - 0.5)); };
    const Box3& box = body.box();
    const int x0 = std::max(first(box.low.x()), low_.x()), x1 = std::min(last(box.high.x()), low_.x() + size_.x() - 1);
    const int y0 = std::max(first(box.low.y()), low_.y()), y1 = std::min(last(box.high.y()), low_.y() + size_.y() - 1);
    if (first(box.low.z()) >= low_.z() + size_.z() || last(box.high.z()) < low_.z()) return false;
    for (int x = x0; x <= x1; ++x)
        for (int y = y0; y <= y1; ++y) {
            double low = 0, high = 0;
            if (!body.at((x + 0.5) * edge_, (y + 0.5) * edge_, slack, low, high)) continue;
            const int z0 = std::max(first(low) - low_.z(), 0), z1 = std::min(last(high) - low_.z(), size_.z() - 1);
            if (z0 > z1) continue;
            const std::size_t start = (static_cast<std::size_t>(x - low_.x()) * size_.y() + (y - low_.y())) *
                                      static_cast<std::size_t>(words_);
            for (int w = z0 / word_bits; w <= z1 / word_bits; ++w) {
                std::uint64_t mask = ~std::uint64_t{0};
                if (w == z0 / word_bits) mask &= ~std::uint64_t{0} << (z0 % word_bits);
                if (w == z1 / word_bits) mask &= ~std::uint64_t{0} >> (word_bits - 1 - z1 % word_bits);
                if (use(start + static_cast<std::size_t>(w), mask)) return true;
            }
        }
    return false;
}

void Volume::add(const UprightCut& cut, const Frame& at, double grow) {
    each_stretch(cut, at, grow, [this](std::size_t word, std::uint64_t mask) {
        bits_[word] |= mask;
        return false;
    });
}

bool Volume::meets(const UprightCut& cut, const Frame& at, double grow) const {
    return each_stretch(cut, at, grow, [this](std::size_t word, std::uint64_t mask) { return bits_[word] & mask; });
}

void Volume::add(const Volume& other) {
    for (int x = 0; x < size_.x(); ++x)
        for (int y = 0; y < size_.y(); ++y) {
            const std::uint64_t* from = other.column(x + low_.x(), y + low_.y());
            if (!from) continue;
            std::uint64_t* to = &bits_[(static_cast<std::size_t>(x) * size_.y() + y) * words_];
            const int shift = (low_.z() - other.low_.z()) / word_bits;
            for (int w = std::max(0, -shift); w < words_ && w + shift < other.words_; ++w) to[w] |= from[w + shift];
        }
}

void Volume::keep_common(const Volume& other) {
    for (int x = 0; x < size_.x(); ++x)
        for (int y = 0; y < size_.y(); ++y) {
            const std::uint64_t* from = other.column(x + low_.x(), y + low_.y());
            std::uint64_t* to = &bits_[(static_cast<std::size_t>(x) * size_.y() + y) * words_];
            const int shift = (low_.z() - other.low_.z()) / word_bits;
            for (int w = 0; w < words_; ++w) {
                const int there = w + shift;
                to[w] &= from && there >= 0 && there < other.words_ ? from[there] : 0;
            }
        }
}

bool Volume::contains(const Vector3& p) const { return has(cube(p.x()), cube(p.y()), cube(p.z())); }

std::size_t Volume::count() const {
    std::size_t sum = 0;
    for (const std::uint64_t word : bits_) sum += static_cast<std::size_t>(std::popcount(word));
    return sum;
}

Box3 Volume::box() const {
    Box3 box;
    for (int x = 0; x < size_.x(); ++x)
        for (int y = 0; y < size_.y(); ++y) {
            const std::uint64_t* bits = column(x + low_.x(), y + low_.y());
            int first = -1, last = -1;
            for (int w = 0; w < words_; ++w) {
                if (!bits[w]) continue;
                if (first < 0) first = w * word_bits + std::countr_zero(bits[w]);
                last = w * word_bits + word_bits - 1 - std::countl_zero(bits[w]);
            }
            if (first < 0) continue;
            box.add(edge_ * (low_ + Index(x, y, first)).cast<double>());
            box.add(edge_ * (low_ + Index(x + 1, y + 1, last + 1)).cast<double>());
        }
    return box;
}

std::vector<Box3> Volume::pieces() const {
    std::vector<Box3> all;
    Volume left = *this;
    const auto take = [&left](const Index& at) {  // out of those that are left
        const Index local = at - left.low_;
        if ((local.array() < 0).any() || (local.array() >= left.size_.array()).any()) return false;
        std::uint64_t& word = left.bits_[(static_cast<std::size_t>(local.x()) * left.size_.y() + local.y()) *
                                             static_cast<std::size_t>(left.words_) +
                                         static_cast<std::size_t>(local.z() / word_bits)];
        const std::uint64_t bit = std::uint64_t{1} << (local.z() % word_bits);
        if (!(word & bit)) return false;
        word &= ~bit;
        return true;
    };
    std::vector<Index> to_do;
    for (std::size_t word = 0; word < left.bits_.size(); ++word)
        while (left.bits_[word]) {
            const int column = static_cast<int>(word / static_cast<std::size_t>(words_));
            const Index first = low_ + Index(column / size_.y(), column % size_.y(),
                                           static_cast<int>(word % static_cast<std::size_t>(words_)) * word_bits +
                                               std::countr_zero(left.bits_[word]));
            take(first);
            to_do.assign(1, first);
            Box3 box;
            while (!to_do.empty()) {
                const Index at = to_do.back();
                to_do.pop_back();
                box.add(edge_ * at.cast<double>());
                box.add(edge_ * (at + Index::Ones()).cast<double>());
                for (int x = -1; x <= 1; ++x)
                    for (int y = -1; y <= 1; ++y)
                        for (int z = -1; z <= 1; ++z)
                            if (take(at + Index(x, y, z))) to_do.push_back(at + Index(x, y, z));
            }
            all.push_back(box);
        }
    return all;
}

Mesh Volume::skin() const {
    Mesh mesh;
    const auto quad = [&](const std::array<Vector3, 4>& corners, const Vector3& normal) {
        const int first = static_cast<int>(mesh.points.size());
        for (const Vector3& c : corners) mesh.points.push_back(edge_ * c), mesh.normals.push_back(normal);
        mesh.triangles.push_back({first, first + 1, first + 2});
        mesh.triangles.push_back({first, first + 2, first + 3});
    };
    constexpr int sides[4][2] = {{1, 0}, {-1, 0}, {0, 1}, {0, -1}};
    for (int x = low_.x(); x < low_.x() + size_.x(); ++x)
        for (int y = low_.y(); y < low_.y() + size_.y(); ++y) {
            const std::uint64_t* own = column(x, y);
            for (const auto& [dx, dy] : sides) {
                const std::uint64_t* beside = column(x + dx, y + dy);
                const auto open = [&](int z) {
                    const int w = z / word_bits, b = z % word_bits;
                    return (own[w] >> b & 1) && !(beside && (beside[w] >> b & 1));
                };
                for (int z = 0; z < size_.z(); ++z) {
                    if (!open(z)) continue;
                    const int from = z;
                    while (z < size_.z() && open(z)) ++z;
                    const double z0 = low_.z() + from, z1 = low_.z() + z;
                    // The side's two lower corners, counter-clockwise seen from outside.
                    const double ax = x + (dx > 0 || dy > 0), ay = y + (dy > 0 || dx < 0);
                    const double bx = ax - dy, by = ay + dx;
                    quad({Vector3(ax, ay, z0), Vector3(bx, by, z0), Vector3(bx, by, z1), Vector3(ax, ay, z1)},
                        Vector3(dx, dy, 0));
                }
            }
            for (int z = 0; z < size_.z(); ++z) {
                if (!has(x, y, low_.z() + z)) continue;
                const double at = low_.z() + z;
                if (!has(x, y, low_.z() + z + 1))
                    quad({Vector3(x, y, at + 1), Vector3(x + 1, y, at + 1), Vector3(x + 1, y + 1, at + 1),
                             Vector3(x, y + 1, at + 1)},
                        Vector3::UnitZ());
                if (!has(x, y, low_.z() + z - 1))
                    quad({Vector3(x, y, at), Vector3(x, y + 1, at), Vector3(x + 1, y + 1, at), Vector3(x + 1, y, at)},
                        -Vector3::UnitZ());
            }
        }
    return mesh;
}

/// Surface nets (Gibson 1998): a point in each group of eight that is partly within, in the middle of where its sides
/// are crossed.
Mesh Volume::shell(double edge) const {
    Mesh mesh;
    const int step = std::max(1, static_cast<int>(std::lround(edge / edge_)));
    const Box3 box = this->box();
    if (box.empty()) return mesh;
    const double side = step * edge_;
    const Index first = (box.low / edge_).array().round().cast<int>().matrix();
    const Index last = (box.high / edge_).array().round().cast<int>().matrix();
    const Index n = (last - first + Index::Constant(step - 1)) / step + Index::Constant(2);  // one free all round
    const auto at = [&n](int x, int y, int z) { return (static_cast<std::size_t>(x) * n.y() + y) * n.z() + z; };
    std::vector<char> full(static_cast<std::size_t>(n.x()) * n.y() * n.z(), 0);
    for (int x = first.x(); x < last.x(); ++x)
        for (int y = first.y(); y < last.y(); ++y)
            for (int z = first.z(); z < last.z(); ++z)
                if (has(x, y, z))
                    full[at((x - first.x()) / step + 1, (y - first.y()) / step + 1, (z - first.z()) / step + 1)] = 1;
    std::vector<int> point(full.size(), -1);
    const Vector3 origin = edge_ * first.cast<double>() - Vector3::Constant(0.5 * side);  // middle of the first one
    for (int x = 0; x + 1 < n.x(); ++x)
        for (int y = 0; y + 1 < n.y(); ++y)
            for (int z = 0; z + 1 < n.z(); ++z) {
                Vector3 sum = Vector3::Zero();
                int crossed = 0;
                for (int corner = 0; corner < 8; ++corner)
                    for (int axis = 0; axis < 3; ++axis) {
                        if (corner >> axis & 1) continue;
                        const Index a(corner & 1, corner >> 1 & 1, corner >> 2 & 1);
                        const Index b = a + Index::Unit(axis);
                        if (full[at(x + a.x(), y + a.y(), z + a.z())] == full[at(x + b.x(), y + b.y(), z + b.z())])
                            continue;
                        sum += 0.5 * (a + b).cast<double>();
                        ++crossed;
                    }
                if (!crossed) continue;
                point[at(x, y, z)] = static_cast<int>(mesh.points.size());
                mesh.points.push_back(origin + side * (Vector3(x, y, z) + sum / crossed));
            }
    for (int x = 1; x + 1 < n.x(); ++x)
        for (int y = 1; y + 1 < n.y(); ++y)
            for (int z = 1; z + 1 < n.z(); ++z)
                for (int axis = 0; axis < 3; ++axis) {
                    const Index next = Index(x, y, z) + Index::Unit(axis);
                    const bool own = full[at(x, y, z)], other = full[at(next.x(), next.y(), next.z())];
                    if (own == other) continue;
                    const Index u = Index::Unit((axis + 1) % 3), v = Index::Unit((axis + 2) % 3), here(x, y, z);
                    const auto corner = [&](const Index& i) { return point[at(i.x(), i.y(), i.z())]; };
                    std::array<int, 4> ring{corner(here - u - v), corner(here - v), corner(here), corner(here - u)};
                    if (!own) std::reverse(ring.begin(), ring.end());
                    for (const auto& t :
                        {std::array{ring[0], ring[1], ring[2]}, std::array{ring[0], ring[2], ring[3]}}) {
                        mesh.triangles.push_back(t);
                    }
                }
    smooth(mesh);
    return mesh;
}

std::vector<Box3> Volume::covers(double low_z, double high_z) const {
    std::vector<Box3> all;
    const int from = std::max(low_.z(), low_z < -1e8 ? low_.z() : cube(low_z));
    const int to = std::min(low_.z() + size_.z() - 1, high_z > 1e8 ? low_.z() + size_.z() - 1 : cube(high_z));
    const auto covered = [&](int x, int y) {
        const std::uint64_t* bits = column(x, y);
        for (int z = from; z <= to; ++z) {
            const int w = (z - low_.z()) / word_bits;
            if (bits[w] == 0) z = low_.z() + (w + 1) * word_bits - 1;
            else if (bits[w] >> ((z - low_.z()) % word_bits) & 1) return true;
        }
        return false;
    };
    for (int y = low_.y(); y < low_.y() + size_.y(); ++y)
        for (int x = low_.x(); x < low_.x() + size_.x(); ++x) {
            if (!covered(x, y)) continue;
            const int begin = x;
            while (x < low_.x() + size_.x() && covered(x, y)) ++x;
            Box3 row;
            row.add(edge_ * Vector3(begin, y, from));
            row.add(edge_ * Vector3(x, y + 1, to + 1));
            all.push_back(row);
        }
    return all;
}

}  // namespace escarp::geometry
