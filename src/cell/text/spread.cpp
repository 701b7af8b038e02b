#include "spread.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numeric>

#include "content_key.h"
#include "numbers.h"
#include "problem.h"

namespace escarp::cell {
namespace {

constexpr double pi = 3.14159265358979323846;
constexpr std::size_t most_measured = 10000;
constexpr double largest = 1e9;  // s

double normal_share(double z) { return 0.5 * std::erfc(-z / std::sqrt(2.0)); }
double normal_density(double z) { return std::exp(-0.5 * z * z) / std::sqrt(2 * pi); }

/// Share of an Erlang distribution with k phases of mean 1 that lies below x.
double erlang_share(int k, double x) {
    double term = 1, sum = 1;
    for (int i = 1; i < k; ++i) sum += term *= x / i;
    return 1 - std::exp(-x) * sum;
}

/// Reads words and numbers one after the other, and knows where it is.
class SpreadReader {
public:
    explicit SpreadReader(const std::string& text) : text_(text) { skip(); }
    bool ended() const { return at_ == text_.size(); }
    bool letter() const { return !ended() && std::isalpha(static_cast<unsigned char>(text_[at_])); }
    std::string word() {
        const std::size_t from = at_;
        while (!ended() && (std::isalpha(static_cast<unsigned char>(text_[at_])) || text_[at_] == '-')) ++at_;
        last_ = from;
        std::string out = text_.substr(from, at_ - from);
        skip();
        return out;
    }
    double number(const char* what) {
        last_ = at_;
        double value = 0;
        const auto [end, error] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
        if (error != std::errc() || !std::isfinite(value)) fail(std::string("a number is expected: ") + what);
        if (std::abs(value) > largest) fail("a number of up to 1e9 is expected");
        at_ = static_cast<std::size_t>(end - text_.data());
        skip();
        return value;
    }
    void comma() {
        last_ = at_;
        if (ended() || text_[at_] != ',') fail("a comma and a further number are expected");
        ++at_;
        skip();
    }
    bool takes_comma() {
        if (ended() || text_[at_] != ',') return false;
        comma();
        return true;
    }
    void takes(const char* expected) {
        if (word() != expected) fail(std::string("\"") + expected + "\" is expected");
    }
    void end() {
        last_ = at_;
        if (!ended()) fail("nothing further is expected");
    }
    [[noreturn]] void fail(const std::string& why) const {
        throw InputError(std::to_string(last_), "At letter " + std::to_string(last_ + 1) + ": " + why + ".");
    }

private:
    void skip() {
        while (!ended() && text_[at_] == ' ') ++at_;
    }
    const std::string& text_;
    std::size_t at_ = 0, last_ = 0;
};

}  // namespace

Draws::Draws(std::uint64_t seed, const std::string& device, const std::string& purpose)
    : bits_(ContentKey().add(seed).add(device).add(purpose).value()) {}

/// Acklam's rational approximation, made exact by one step of Halley's method.
double normal_quantile(double u) {
    constexpr double a[] = {-3.969683028665376e+01, 2.209460984245205e+02, -2.759285104469687e+02,
        1.383577518672690e+02, -3.066479806614716e+01, 2.506628277459239e+00};
    constexpr double b[] = {-5.447609879822406e+01, 1.615858368580409e+02, -1.556989798598866e+02,
        6.680131188771972e+01, -1.328068155288572e+01};
    constexpr double c[] = {-7.784894002430293e-03, -3.223964580411365e-01, -2.400758277161838e+00,
        -2.549732539343734e+00, 4.374664141464968e+00, 2.938163982698783e+00};
    constexpr double d[] = {7.784695709041462e-03, 3.224671290700398e-01, 2.445134137142996e+00, 3.754408661907416e+00};
    constexpr double tail = 0.02425;
    const auto outer = [&](double share) {
        const double q = std::sqrt(-2 * std::log(share));
        return (((((c[0] * q + c[1]) * q + c[2]) * q + c[3]) * q + c[4]) * q + c[5]) /
               ((((d[0] * q + d[1]) * q + d[2]) * q + d[3]) * q + 1);
    };
    double z;
    if (u < tail) {
        z = outer(u);
    } else if (u > 1 - tail) {
        z = -outer(1 - u);
    } else {
        const double q = u - 0.5, r = q * q;
        z = (((((a[0] * r + a[1]) * r + a[2]) * r + a[3]) * r + a[4]) * r + a[5]) * q /
            (((((b[0] * r + b[1]) * r + b[2]) * r + b[3]) * r + b[4]) * r + 1);
    }
    const double error = (normal_share(z) - u) / normal_density(z);
    return z - error / (1 + 0.5 * z * error);
}

const std::vector<Spread::Words>& Spread::words() {
    static const std::vector<Words> all{{Shape::uniform, "uniform", "least to greatest"},
        {Shape::triangular, "triangular", "least, most likely, greatest"},
        {Shape::normal, "normal", "mean, standard deviation (cut at zero)"},
        {Shape::log_normal, "log-normal", "mean, standard deviation"}, {Shape::exponential, "exponential", "mean"},
        {Shape::erlang, "erlang", "phases, mean"}, {Shape::weibull, "weibull", "shape, scale"},
        {Shape::measured, "measured", "values, each as likely as the others"}};
    return all;
}

// Long because each distribution has its own words and limits, and nothing else.
Spread Spread::parse(const std::string& text) {
    SpreadReader in(text);
    Spread s;
    if (!in.letter()) {
        s.a_ = in.number("the time, or a distribution as \"normal 6.5, 0.4\"");
        if (s.a_ < 0) in.fail("a time is not below 0");
        in.end();
        return s;
    }
    const std::string word = in.word();
    const auto found = std::find_if(words().begin(), words().end(), [&](const Words& w) { return word == w.word; });
    if (found == words().end()) {
        std::string all;
        for (const Words& w : words()) all += (all.empty() ? "" : ", ") + std::string(w.word);
        in.fail("a number or one of " + all + " is expected");
    }
    s.shape_ = found->shape;
    const auto positive = [&](double value, const char* what) {
        if (value <= 0) in.fail(std::string(what) + " is expected to be above 0");
        return value;
    };
    switch (s.shape_) {
        case Shape::uniform:
            s.a_ = in.number("the least value");
            if (s.a_ < 0) in.fail("a time is not below 0");
            in.takes("to");
            s.b_ = in.number("the greatest value");
            if (s.b_ <= s.a_) in.fail("the greatest value is expected to be above the least");
            break;
        case Shape::triangular:
            s.a_ = in.number("the least value");
            if (s.a_ < 0) in.fail("a time is not below 0");
            in.comma();
            s.b_ = in.number("the most likely value");
            if (s.b_ < s.a_) in.fail("the most likely value is expected to be no less than the least");
            in.comma();
            s.c_ = in.number("the greatest value");
            if (s.c_ < s.b_ || s.c_ <= s.a_)
                in.fail("the greatest value is expected to be no less than the most likely");
            break;
        case Shape::exponential: s.a_ = positive(in.number("the mean"), "the mean"); break;
        case Shape::normal:
        case Shape::log_normal:
            s.a_ = positive(in.number("the mean"), "the mean");
            in.comma();
            s.b_ = positive(in.number("the standard deviation"), "the standard deviation");
            if (s.shape_ == Shape::normal && s.b_ > 10 * s.a_)
                in.fail("the standard deviation is expected to be ten times the mean at the most");
            if (s.b_ > 1000 * s.a_)
                in.fail("the standard deviation is expected to be a thousand times the mean at the most");
            break;
        case Shape::erlang:
            s.a_ = in.number("the number of phases");
            if (s.a_ != std::floor(s.a_) || s.a_ < 1 || s.a_ > 100)
                in.fail("a whole number of phases from 1 to 100 is expected");
            in.comma();
            s.b_ = positive(in.number("the mean"), "the mean");
            break;
        case Shape::weibull:
            s.a_ = positive(in.number("the shape"), "the shape");
            if (s.a_ < 0.1) in.fail("a shape of 0.1 or more is expected");
            in.comma();
            s.b_ = positive(in.number("the scale"), "the scale");
            break;
        case Shape::measured:
            do {
                s.measured_.push_back(in.number("a measured value"));
                if (s.measured_.back() < 0) in.fail("a time is not below 0");
                if (s.measured_.size() > most_measured) in.fail("at most 10000 values are possible");
            } while (in.takes_comma());
            std::sort(s.measured_.begin(), s.measured_.end());
            break;
        case Shape::constant: break;
    }
    in.end();
    return s;
}

std::string Spread::example(Shape shape, double mean) {
    Spread s;
    s.shape_ = shape;
    const double m = mean > 0 ? mean : 1;
    const auto round = [](double v) { return std::round(v * 1000) / 1000; };
    switch (shape) {
        case Shape::constant: s.a_ = m; break;
        case Shape::uniform: s.a_ = round(0.8 * m), s.b_ = round(1.2 * m); break;
        case Shape::triangular: s.a_ = round(0.8 * m), s.b_ = round(m), s.c_ = round(1.2 * m); break;
        case Shape::normal:
        case Shape::log_normal: s.a_ = round(m), s.b_ = std::max(1e-3, round(0.1 * m)); break;
        case Shape::exponential: s.a_ = round(m); break;
        case Shape::erlang: s.a_ = 3, s.b_ = round(m); break;
        case Shape::weibull: s.a_ = 2, s.b_ = std::max(1e-3, round(m / std::tgamma(1.5))); break;
        case Shape::measured: s.measured_ = {round(0.9 * m), round(m), round(1.1 * m)}; break;
    }
    return s.text();
}

Spread Spread::scaled(double factor) const {
    Spread s = *this;
    const bool counts_first = shape_ == Shape::erlang || shape_ == Shape::weibull;  // that is no time
    if (!counts_first) s.a_ *= factor;
    s.b_ *= factor, s.c_ *= factor;
    for (double& v : s.measured_) v *= factor;
    return s;
}

double Spread::mean() const {
    switch (shape_) {
        case Shape::constant:
        case Shape::log_normal:
        case Shape::exponential: return a_;
        case Shape::uniform: return 0.5 * (a_ + b_);
        case Shape::triangular: return (a_ + b_ + c_) / 3;
        case Shape::normal: {  // what is left of it above zero
            const double cut = -a_ / b_;
            return a_ + b_ * normal_density(cut) / (1 - normal_share(cut));
        }
        case Shape::erlang: return b_;
        case Shape::weibull: return b_ * std::tgamma(1 + 1 / a_);
        case Shape::measured:
            return std::accumulate(measured_.begin(), measured_.end(), 0.0) / static_cast<double>(measured_.size());
    }
    return a_;
}

double Spread::variance() const {
    switch (shape_) {
        case Shape::constant: return 0;
        case Shape::uniform: return (b_ - a_) * (b_ - a_) / 12;
        case Shape::triangular: {
            const double low = b_ - a_, high = c_ - b_;
            return (low * low + low * high + high * high) / 18;
        }
        case Shape::normal: {
            const double cut = -a_ / b_, more = normal_density(cut) / (1 - normal_share(cut));
            return b_ * b_ * (1 + cut * more - more * more);
        }
        case Shape::log_normal: return b_ * b_;
        case Shape::exponential: return a_ * a_;
        case Shape::erlang: return b_ * b_ / a_;
        case Shape::weibull: {
            const double first = std::tgamma(1 + 1 / a_);
            return b_ * b_ * (std::tgamma(1 + 2 / a_) - first * first);
        }
        case Shape::measured: {
            double sum = 0;
            for (const double v : measured_) sum += (v - mean()) * (v - mean());
            return sum / static_cast<double>(measured_.size());
        }
    }
    return 0;
}

double Spread::at(double u) const {
    switch (shape_) {
        case Shape::constant: return a_;
        case Shape::uniform: return a_ + u * (b_ - a_);
        case Shape::triangular: {
            const double peak = (b_ - a_) / (c_ - a_);
            return u < peak ? a_ + std::sqrt(u * (c_ - a_) * (b_ - a_))
                            : c_ - std::sqrt((1 - u) * (c_ - a_) * (c_ - b_));
        }
        case Shape::normal: {
            const double below = normal_share(-a_ / b_);
            return std::max(0.0, a_ + b_ * normal_quantile(below + u * (1 - below)));
        }
        case Shape::log_normal: {
            const double width = std::log1p(b_ * b_ / (a_ * a_));
            return std::exp(std::log(a_) - 0.5 * width + std::sqrt(width) * normal_quantile(u));
        }
        case Shape::exponential: return -a_ * std::log1p(-u);
        case Shape::erlang: {
            const int k = static_cast<int>(a_);
            double low = 0, high = 1;
            while (erlang_share(k, high) < u) high *= 2;
            for (int i = 0; i < 80 && high - low > 1e-15 * high; ++i)
                (erlang_share(k, 0.5 * (low + high)) < u ? low : high) = 0.5 * (low + high);
            return 0.5 * (low + high) * b_ / a_;
        }
        case Shape::weibull: return b_ * std::pow(-std::log1p(-u), 1 / a_);
        case Shape::measured:
            return measured_[std::min(
                measured_.size() - 1, static_cast<std::size_t>(u * static_cast<double>(measured_.size())))];
    }
    return a_;
}

double Spread::draw(Draws& draws) const { return varies() ? at(draws.next()) : a_; }

std::string Spread::text() const {
    const auto found = std::find_if(words().begin(), words().end(), [&](const Words& w) { return shape_ == w.shape; });
    if (found == words().end()) return shortest(a_);
    std::string out = std::string(found->word) + " ";
    if (shape_ == Shape::measured) {
        for (std::size_t i = 0; i < measured_.size(); ++i) out += (i ? ", " : "") + shortest(measured_[i]);
        return out;
    }
    out += shortest(a_);
    if (shape_ == Shape::uniform) return out + " to " + shortest(b_);
    if (shape_ != Shape::exponential) out += ", " + shortest(b_);
    if (shape_ == Shape::triangular) out += ", " + shortest(c_);
    return out;
}

}  // namespace escarp::cell
