#pragma once
// Which second is worth fighting for: how much the cycle falls when a step, a process or a belt is quicker.

#include <functional>

#include "measures.h"

namespace escarp::study {

struct Gain {
    std::string words;           ///< "Arm 1: Pick from Infeed belt", "Tester process time"
    std::string at;              ///< path of the step or of the key
    int device = -1, step = -1;  ///< number of the step; -1: it is a key
    double takes_s = 0;          ///< each time; of a belt 0
    /// How much the cycle falls: 0.1 s shorter (none: it does not take so long, or has no length of its own); 10 %
    /// quicker.
    std::optional<double> shorter_s;
    double quicker_s = 0;
    /// What these may be out by where chance has a say: half the interval of the paired differences, 95 %.
    double shorter_out_s = 0, quicker_out_s = 0;

    /// Whether any of the two can be told from nothing.
    bool told() const { return shorter_s.value_or(0) > shorter_out_s || quicker_s > quicker_out_s; }
};

struct Gains {
    double cycle_s = 0;
    std::vector<Gain> all;  ///< most worth first; last those that cannot be told from nothing
    /// What comes next: the most worthwhile one shortened further and further.
    struct Next {
        std::string of;      ///< what is shortened
        std::string words;   ///< of what sets the pace then; empty: it does to the end
        double after_s = 0;  ///< so much shorter, and it is not worth as much any more
        double cycle_s = 0;  ///< then
    };
    std::optional<Next> next;
};

/// By running again. Throws InputError where no part leaves, Cancelled.
Gains gains(const cell::Layout& layout, inspection::Cache& cache, const EvaluateOptions& how = {},
    const std::function<void(double)>& progress = {});

/// What is worth most, and how far.
std::string in_words(const Gains& gains);

}  // namespace escarp::study
