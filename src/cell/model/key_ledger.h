#pragma once
// Which keys of a file were asked for. The others are kept as they are, but may be slips.

#include <deque>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

#include <cell/text/json.h>
#include <cell/text/problem.h>

namespace escarp::cell {

class KeyLedger {
public:
    /// Which keys of one group were asked for.
    struct Group {
        const json* group;
        std::string path;
        std::vector<char> asked;        ///< by the place of the key in the group
        std::set<std::string> missing;  ///< asked for, and not there; only where words are wanted
    };
    /// `words`: what was asked for and is not there is written down, too, so that slips can say what may have been
    /// meant.
    explicit KeyLedger(bool words) : words_(words) {}

    Group& group(const json& group, const std::string& path);
    /// A reader asked for a key: at this place of the group, or (-1) there is none.
    void asked(Group& group, const std::string& key, std::ptrdiff_t place);
    /// Every key of every group was asked for.
    bool complete() const;
    /// The keys that nobody asked for, in the order of the file: "exchnage_s is not a key of a tray; did you mean
    /// exchange_s?"
    std::vector<Problem> unknown_keys() const;

private:
    bool words_;
    std::unordered_map<const json*, Group*> found_;
    std::deque<Group> groups_;
};

}  // namespace escarp::cell
