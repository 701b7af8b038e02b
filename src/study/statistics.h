#pragma once
// What can be said of numbers that vary: means with intervals, paired differences, ranking, where a warm-up ends.

#include <cstddef>
#include <optional>
#include <utility>
#include <vector>

namespace escarp::study {

/// A mean of so many values, and what it may be out by at a level of confidence (Student's t).
struct Estimate {
    std::size_t count = 0;
    double mean = 0, deviation = 0;  ///< standard deviation of the single values; 0 with fewer than two
    /// Half the width of the interval; none: fewer than two values.
    std::optional<double> half_width(double confidence = 0.95) const;
    double low(double confidence = 0.95) const { return mean - half_width(confidence).value_or(0); }
    double high(double confidence = 0.95) const { return mean + half_width(confidence).value_or(0); }
};
Estimate estimate(const std::vector<double>& values);

/// The value below which a share of all lies, between the values in order where it falls between two (Hyndman and Fan
/// 1996, type 7). `values`: at least one.
double quantile(std::vector<double> values, double share);

/// Of Student's t with so many degrees of freedom.
double t_quantile(double share, double freedom);
/// How likely a mean so far from 0 is by chance alone, were it 0: two-sided; 1 with fewer than two values.
double p_value(const Estimate& difference);

/// How many values of the front are the warm-up: the rest, in groups of five, has the least standard error of its mean
/// (White 1997; White, Cobb and Spratt 2000). At most half of them; nothing where there are too few to tell.
std::optional<std::size_t> warm_up(const std::vector<double>& values);
inline constexpr std::size_t enough_to_tell = 50;

/// For several questions at once, which of them are answered with the chance of any wrong answer held below `wrong`
/// (Holm 1979). `chances`: of each, as `p_value` gives it.
std::vector<bool> answered(const std::vector<double>& chances, double wrong = 0.05);

/// How many pairs of values in all would tell a difference like this one from nothing; none: not to be told from what
/// is there (fewer than two values, or no difference at all).
std::optional<std::size_t> pairs_needed(const Estimate& difference, double confidence = 0.95);

/// Who is to be tried how often more, so that the one with the least mean is found soonest (Chen, Lin, Yucesan and
/// Chick 2000). Each of `so_far` has two values or more; the answer adds up to `more`.
std::vector<std::size_t> next_tries(const std::vector<Estimate>& so_far, std::size_t more);

/// Points that fill the unit cube evenly (Sobol 1967, directions of Joe and Kuo 2008), the middle first.
/// `size`: up to 3,000 numbers each.
std::vector<std::vector<double>> even_points(std::size_t size, std::size_t count);

}  // namespace escarp::study
