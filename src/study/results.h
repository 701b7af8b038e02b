#pragma once
// Results of studies, kept beside the cell: every run that was made, found again by the cell, the point and the
// repetition that it belongs to.

#include <memory>

#include "replicate.h"

namespace escarp::study {

/// What came of one run at one point of a study.
struct Outcome {
    OneRun run;
    std::string refused = {};            ///< why there is none: the values make no cell
    int looked = 0;                      ///< how much was looked at: see `looked_at`
    std::vector<std::string> dear = {};  ///< figures that are dear and were looked for

    /// Whether all that is wanted was looked for.
    bool answers(const std::vector<const Measure*>& wanted) const;
    /// What both know; they are of the same run.
    void take_in(const Outcome& other);
};
/// Of what these figures need: one that was looked at more than is asked for answers, too.
int looked_at(const std::vector<const Measure*>& wanted);

struct ResultKey {
    std::string cell;   ///< of everything in it that figures depend on: see cell::Layout::content
    std::string point;  ///< what was set: see Point
    std::size_t repetition = 0;
};

/// Safe to use from several threads. What is kept is on the disk within about a second; a program that dies loses what
/// came later, and nothing else.
class Results {
public:
    /// Opens or makes the file; empty: in memory. Throws InputError: not a file of results, of another version of the
    /// figures, or in use by another program.
    explicit Results(const std::string& file);
    ~Results();
    Results(const Results&) = delete;
    Results& operator=(const Results&) = delete;

    std::optional<Outcome> find(const ResultKey& key) const;
    /// Throws InputError where it cannot be written (a full disk): what was kept before stays.
    void keep(const ResultKey& key, const Outcome& outcome);
    void write();  ///< at once

    /// Takes over what another file has. What both have has to be the same. Throws InputError. Returns how many were
    /// new.
    std::size_t merge(const std::string& other);
    std::size_t count(const std::string& cell = {}) const;

    /// The file beside a cell file: "press.escarp" has "press.results".
    static std::string beside(const std::string& cell_file);

private:
    struct Database;
    std::unique_ptr<Database> database_;
};

}  // namespace escarp::study
