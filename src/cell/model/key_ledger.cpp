#include "key_ledger.h"

#include <algorithm>

namespace escarp::cell {
namespace {

/// How many letters have to be put in, left out, changed or swapped with their neighbour to make one word of the other
/// (Damerau 1964).
std::size_t slips_between(const std::string& a, const std::string& b) {
    std::vector<std::vector<std::size_t>> cost(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
    for (std::size_t i = 0; i <= a.size(); ++i)
        for (std::size_t j = 0; j <= b.size(); ++j) {
            if (i == 0 || j == 0) {
                cost[i][j] = i + j;
                continue;
            }
            cost[i][j] =
                std::min({cost[i - 1][j] + 1, cost[i][j - 1] + 1, cost[i - 1][j - 1] + (a[i - 1] != b[j - 1])});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                cost[i][j] = std::min(cost[i][j], cost[i - 2][j - 2] + 1);
        }
    return cost[a.size()][b.size()];
}

std::string said(const json& group) {
    const auto with = [](const std::string& what) {
        return (std::string("aeiou").find(what.front()) != std::string::npos ? "an " : "a ") + what;
    };
    for (const auto& [key, after] : {std::pair{"kind", ""}, std::pair{"do", " step"}, std::pair{"shape", ""}})
        if (const auto found = group.find(key);
            found != group.end() && found->is_string() && !found->get<std::string>().empty())
            return with(found->get<std::string>()) + after;
    return "this group";
}

}  // namespace

KeyLedger::Group& KeyLedger::group(const json& group, const std::string& path) {
    Group*& found = found_[&group];
    if (!found) found = &groups_.emplace_back(Group{&group, path, std::vector<char>(group.size()), {}});
    return *found;
}

void KeyLedger::asked(Group& group, const std::string& key, std::ptrdiff_t place) {
    if (place >= 0) group.asked[place] = 1;
    else if (words_) group.missing.insert(key);
}

bool KeyLedger::complete() const {
    return std::all_of(groups_.begin(), groups_.end(),
        [](const Group& g) { return std::find(g.asked.begin(), g.asked.end(), 0) == g.asked.end(); });
}

std::vector<Problem> KeyLedger::unknown_keys() const {
    constexpr std::size_t longest = 64;
    std::vector<Problem> out;
    for (const Group& g : groups_) {
        std::size_t place = 0;
        for (const auto& [key, value] : g.group->items()) {
            if (g.asked[place++]) continue;
            std::string nearest;
            std::size_t least = std::max<std::size_t>(2, key.size() / 4) + 1;
            if (key.size() <= longest)
                for (const std::string& known : g.missing)
                    if (const std::size_t off = slips_between(key, known); off < least) least = off, nearest = known;
            out.push_back({g.path + (g.path.empty() ? "" : "/") + key.substr(0, longest),
                "\"" + key.substr(0, longest) + "\" is not a key of " + said(*g.group) +
                    (nearest.empty() ? "; it is kept, and nothing reads it." : "; did you mean \"" + nearest + "\"?")});
        }
    }
    return out;
}

}  // namespace escarp::cell
