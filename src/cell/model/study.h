#pragma once
// Questions about a cell that take many evaluations, as the file keeps them.

#include <optional>
#include <string>
#include <vector>

#include <cell/text/json.h>

namespace escarp::cell {

class Kinds;
class Reader;
struct Field;

/// Something of the document that takes several values: a number between two bounds, one of a list, or the order of a
/// list.
struct Varied {
    std::string at;  ///< path of keys, as edits have it
    double from = 0, to = 0;
    int steps = 11;                     ///< values on a grid, both ends among them
    std::vector<std::string> values{};  ///< instead of from and to
    bool order = false;                 ///< every order of the elements of the list there
    bool numeric() const { return values.empty() && !order; }
};

/// A figure that has to be within bounds, in the figure's own unit.
struct Demand {
    std::string figure;
    std::optional<double> least, most;
};

struct Study {
    enum class Asks { sweep, search, sensitivity, repetitions, gains };
    std::string id, name;
    Asks asks = Asks::sweep;
    std::vector<Varied> vary;
    std::vector<std::string> look_at;  ///< ids of figures; a search makes them good, the first one first
    std::vector<Demand> keep;
    bool evenly = false;          ///< points spread evenly instead of a grid
    int points = 100;             ///< of those; trajectories or base points of a sensitivity
    bool shares = false;          ///< a sensitivity: shares of the variance instead of a screening
    int repetitions = 1;          ///< of each point; at most, where `until` is asked for
    std::optional<double> until;  ///< share of the mean that half the interval of the first figure is to come down to
    int tries = 200;              ///< evaluations of a search, in all its starts
    int starts = 4;               ///< of a search
};

const std::vector<Field>& study_fields();
const std::vector<Field>& varied_fields();
const std::vector<Field>& demand_fields();

/// What is wrong with it by itself is told to the reader; whether its paths and figures are there is told when it is
/// asked.
Study read_study(const Reader& reader);

/// What stands at a path.
struct PathMeaning {
    const Field* field;  ///< null: not one of a table
    std::string words;   ///< "Arm 1 x", "Tester process time"; the path itself where nothing better is known
};
/// A value of the file as people say it: lists by their names, groups by what they hold, nothing longer than a line.
std::string value_in_words(const json& value);
/// `tree`: a resolved cell.
PathMeaning meaning_of_path(const json& tree, const std::string& at, const Kinds& kinds);

}  // namespace escarp::cell
