#pragma once
// Content keys: equal inputs give equal keys, so that results can be kept and found again.

#include <cstdint>
#include <cstring>
#include <string>

#include <kinematics/mechanism.h>

namespace escarp::cell {

/// 64-bit mixing hash over the bytes that are fed in (finaliser of MurmurHash3, Appleby 2011, chained).
class ContentKey {
public:
    template <typename Number>
    requires std::is_arithmetic_v<Number> ContentKey& add(Number value) {
        if constexpr (std::is_floating_point_v<Number>) {
            const double d = value == 0 ? 0.0 : static_cast<double>(value);  // one zero
            std::uint64_t bits;
            std::memcpy(&bits, &d, sizeof bits);
            return mix(bits);
        } else {
            return mix(static_cast<std::uint64_t>(value));
        }
    }
    template <typename Derived>
    ContentKey& add(const Eigen::MatrixBase<Derived>& m) {
        for (Eigen::Index c = 0; c < m.cols(); ++c)
            for (Eigen::Index r = 0; r < m.rows(); ++r) add(m(r, c));
        return *this;
    }
    ContentKey& add(const geometry::Frame& f) { return add(f.matrix().topRows<3>().eval()); }
    ContentKey& add(const std::string& text) {
        for (const unsigned char c : text) mix(c);
        return mix(text.size());
    }
    std::uint64_t value() const { return state_; }

private:
    ContentKey& mix(std::uint64_t bits) {
        std::uint64_t h = state_ ^ (bits * 0x9E3779B97F4A7C15ull);
        h = (h ^ (h >> 33)) * 0xFF51AFD7ED558CCDull;
        h = (h ^ (h >> 33)) * 0xC4CEB9FE1A85EC53ull;
        state_ = h ^ (h >> 33);
        return *this;
    }
    std::uint64_t state_ = 0x243F6A8885A308D3ull;
};

/// Of everything in an arm model and its tool frame that motion depends on.
std::uint64_t motion_key(const kinematics::ArmModel& model, const geometry::Frame& tool_frame);
ContentKey& add_shape(ContentKey& key, const geometry::Convex& shape);
/// Of the shapes and where they stand.
void add_bodies(ContentKey& key, const geometry::Bodies& bodies);

}  // namespace escarp::cell
