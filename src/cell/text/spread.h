#pragma once
// A time that may vary: one value, or a distribution, said in words: "normal 6.5, 0.4".

#include <cstdint>
#include <memory>
#include <random>
#include <string>
#include <vector>

namespace escarp::cell {

/// A generator of 64 random bits that takes its room only once it is asked.
class RandomBits {
public:
    RandomBits() = default;
    explicit RandomBits(std::uint64_t seed) : seed_(seed) {}
    RandomBits(const RandomBits& other) : seed_(other.seed_) {
        if (other.engine_) engine_ = std::make_unique<std::mt19937_64>(*other.engine_);
    }
    RandomBits(RandomBits&&) = default;
    RandomBits& operator=(RandomBits other) {
        seed_ = other.seed_;
        engine_ = std::move(other.engine_);
        return *this;
    }
    ~RandomBits() = default;
    std::uint64_t operator()() {
        if (!engine_) engine_ = std::make_unique<std::mt19937_64>(seed_);
        return (*engine_)();
    }

private:
    std::uint64_t seed_ = std::mt19937_64::default_seed;
    std::unique_ptr<std::mt19937_64> engine_;
};

/// Random numbers of one device for one purpose: what else is drawn in the cell does not change them.
class Draws {
public:
    Draws() = default;
    Draws(std::uint64_t seed, const std::string& device, const std::string& purpose);
    double next() {
        return (static_cast<double>(bits_() >> 11) + 0.5) * 0x1p-53;
    }  ///< between 0 and 1, neither of them

private:
    RandomBits bits_;
};

/// Values in seconds, or in whatever unit it is read in.
class Spread {
public:
    enum class Shape { constant, uniform, triangular, normal, log_normal, exponential, erlang, weibull, measured };

    Spread(double value = 0) : a_(value) {}
    /// Throws InputError whose place is the column of the mistake, from 0, and says what was expected.
    static Spread parse(const std::string& words);
    /// The words that a shape begins with, and what follows them, for help: {"normal", "mean, standard deviation"}.
    struct Words {
        Shape shape;
        const char *word, *follows;
    };
    static const std::vector<Words>& words();
    /// Of that shape with about this mean, to begin with.
    static std::string example(Shape shape, double mean);

    Shape shape() const { return shape_; }
    bool varies() const { return shape_ != Shape::constant; }
    double mean() const;
    double variance() const;
    /// The value below which a share `u` of all lies, 0 < u < 1: a value drawn is this of a random number.
    double at(double u) const;
    double draw(Draws& draws) const;
    Spread scaled(double factor) const;  ///< every value so many times as long
    std::string text() const;  ///< that `parse` reads again

private:
    Shape shape_ = Shape::constant;
    double a_ = 0, b_ = 0, c_ = 0;  ///< in the order of the words
    std::vector<double> measured_ = {};
};

/// The value of the standard normal distribution below which a share of all lies.
double normal_quantile(double share);

}  // namespace escarp::cell
