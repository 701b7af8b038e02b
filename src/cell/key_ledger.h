#pragma once
// Which keys of a file were asked for. The others are kept as they are, but may be slips.

#include <map>
#include <set>
#include <string>
#include <vector>

#include "json.h"
#include "problem.h"

namespace escarp::cell {

class KeyLedger {
public:
    /// A reader asked a group for a key, there or not.
    void asked(const json& group, const std::string& path, const std::string& key);
    /// The keys that nobody asked for, in the order of the file: "exchnage_s is not a key of a tray; did you mean exchange_s?"
    std::vector<Problem> slips() const;

private:
    struct Group {
        std::string path;
        std::set<std::string> asked;
    };
    std::map<const json*, Group> groups_;
    std::vector<const json*> order_;
};

}  // namespace escarp::cell
