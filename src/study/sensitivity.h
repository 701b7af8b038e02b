#pragma once
// Which of several numbers move a figure, from values at points of a plan: screening by single changes (Morris 1991)
// and shares of the variance (Sobol; estimators of Saltelli et al. 2010).

#include <string>
#include <vector>

namespace escarp::study {

/// What one number does to one figure.
struct Influence {
    std::string figure;
    int number = 0;         ///< index of what is varied
    double effect = 0;      ///< screening: mean of the changes over the whole range
    double strength = 0;    ///< screening: mean of their sizes
    double unevenness = 0;  ///< screening: their standard deviation: bends, or other numbers have a say
    double alone = 0;       ///< shares: of the variance that this number brings by itself
    double in_all = 0;      ///< shares: together with the others
};

/// Points of the unit cube. Screening: `count` paths of size + 1 points on four levels, each step changes one number.
std::vector<std::vector<double>> screening_plan(std::size_t size, std::size_t count);
/// `values`: of each point of that plan; paths with one that is no number are left out.
std::vector<Influence> screening(const std::vector<std::vector<double>>& plan, const std::vector<double>& values);

/// Shares: two sets of `count` even points, and the first with one number at a time from the second.
std::vector<std::vector<double>> shares_plan(std::size_t size, std::size_t count);
std::vector<Influence> shares(std::size_t size, const std::vector<double>& values);

}  // namespace escarp::study
