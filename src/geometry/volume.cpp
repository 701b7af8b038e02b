#include "volume.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <stdexcept>

#include <zlib.h>

namespace escarp::geometry {
namespace {

constexpr int word_bits = 64;

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

int floor_div(int a, int b) { return a >= 0 ? a / b : -((-a + b - 1) / b); }

}  // namespace

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

/// Calls `use(word, mask)` for all that a body grown by `grow` touches on its way; until it says true.
template <typename Use>
bool Volume::each_stretch(const Facets& body, const Frame& at, double grow, const Vector3& way, const Use& use) const {
    thread_local Spans spans;  // asked for thousands of times
    const Vector3 centre = at * body.shape().centre();
    const double round = body.far() * (body.shape().bound() + grow + edge_) + std::abs(way.z());
    if (centre.z() + round < low_.z() * edge_ || centre.z() - round > (low_.z() + size_.z()) * edge_) return false;
    // A cube is touched where its middle is no farther from the body than half its diagonal.
    const LineGrid middles{edge_, (low_.x() + 0.5) * edge_, (low_.y() + 0.5) * edge_, size_.x(), size_.y()};
    spans.draw(body, at, way, grow + 0.5 * std::sqrt(3.0) * edge_, middles);
    thread_local std::vector<int> first, last;  // cubes of a column's lines
    const double per = 1 / edge_, base = low_.z() + 0.5, above = size_.z();
    for (int x = spans.from(); x <= spans.to(); ++x) {
        const int from = spans.first(x), lines = spans.last(x) - from + 1;
        if (lines <= 0) continue;
        const double *low = spans.low(x) + from - spans.base(), *high = spans.high(x) + from - spans.base();
        first.resize(static_cast<std::size_t>(lines)), last.resize(static_cast<std::size_t>(lines));
        int* __restrict z0 = first.data(), * __restrict z1 = last.data();
        // Rounded up and down by what is left off of a positive number.
        for (int i = 0; i < lines; ++i)
            z0[i] = size_.z() - static_cast<int>(above - std::min(std::max(low[i] * per - base, 0.0), above));
        for (int i = 0; i < lines; ++i)
            z1[i] = static_cast<int>(1 + std::min(std::max(high[i] * per - base, -1.0), above - 1)) - 1;
        std::size_t start = (static_cast<std::size_t>(x) * size_.y() + from) * static_cast<std::size_t>(words_);
        for (int i = 0; i < lines; ++i, start += static_cast<std::size_t>(words_)) {
            if (z0[i] > z1[i]) continue;
            const auto begin = static_cast<unsigned>(z0[i]), end = static_cast<unsigned>(z1[i]);
            constexpr unsigned bits = word_bits;
            for (unsigned w = begin / bits; w <= end / bits; ++w) {
                std::uint64_t mask = ~std::uint64_t{0};
                if (w == begin / bits) mask &= ~std::uint64_t{0} << (begin % bits);
                if (w == end / bits) mask &= ~std::uint64_t{0} >> (bits - 1 - end % bits);
                if (use(start + w, mask)) return true;
            }
        }
    }
    return false;
}

void Volume::add(const Facets& body, const Frame& at, double grow, const Vector3& way) {
    each_stretch(body, at, grow, way, [this](std::size_t word, std::uint64_t mask) {
        if ((bits_[word] & mask) != mask) bits_[word] |= mask;  // mostly it is: then nothing is written
        return false;
    });
}

bool Volume::meets(const Facets& body, const Frame& at, double grow, const Vector3& way) const {
    if (contains(at * body.middle())) return true;
    for (const Facets::Corner& c : body.corners())
        if (contains(at * c.at)) return true;
    return each_stretch(
        body, at, grow, way, [this](std::size_t word, std::uint64_t mask) { return (bits_[word] & mask) != 0; });
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

PackedVolume::PackedVolume(const Volume& volume) : words_(volume.bits_.size()) {
    bare_.edge_ = volume.edge_, bare_.low_ = volume.low_, bare_.size_ = volume.size_;
    bare_.words_ = volume.words_;
    uLongf size = compressBound(volume.bytes());
    packed_.resize(size);
    constexpr int fast = 1;
    if (compress2(packed_.data(), &size, reinterpret_cast<const Bytef*>(volume.bits_.data()), volume.bytes(), fast) !=
        Z_OK)
        throw std::runtime_error("a swept volume could not be packed");
    packed_.resize(size);
    packed_.shrink_to_fit();
}

Volume PackedVolume::unpacked() const {
    Volume out = bare_;
    out.bits_.resize(words_);
    uLongf size = out.bytes();
    if (words_ > 0 &&
        uncompress(reinterpret_cast<Bytef*>(out.bits_.data()), &size, packed_.data(), packed_.size()) != Z_OK)
        throw std::runtime_error("a swept volume could not be unpacked");
    return out;
}

}  // namespace escarp::geometry
