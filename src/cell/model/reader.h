#pragma once
// Reads typed values out of a group of keys, converting the file's units (mm, degrees) to the core's (m, rad), and
// collects a Problem with its path for whatever does not fit instead of stopping at the first.

#include <optional>
#include <set>
#include <string>
#include <vector>

#include <cell/text/json.h>
#include <cell/text/problem.h>
#include <geometry/frame.h>

#include "key_ledger.h"

namespace escarp::cell {

/// What a number in the file means; the key's suffix says it ("_mm", "_deg", "_s", "_kg", "_N", "_pct").
struct Range {
    double low = -1e6, high = 1e6;
};

/// Where there is no other bound: of a place, of a turn.
inline constexpr Range millimetres{-1e5, 1e5}, angle{-3600, 3600};

class Reader {
public:
    /// `ledger`: where it is written down which keys were asked for; null: nowhere.
    Reader(const json& value, std::string path, std::vector<Problem>& problems, KeyLedger* ledger = nullptr);

    const std::string& path() const { return path_; }
    std::vector<Problem>& problems() const { return *problems_; }
    bool has(const std::string& key) const { return look(key) != nullptr; }
    /// Keys that belong here though the core does not read them: for the window, or for information.
    void knows(std::initializer_list<const char*> keys) const;
    const json& raw(const std::string& key) const;

    /// A number in the core's unit; `fallback` (in the file's unit) where the key is missing, an error if there is
    /// none.
    double number(const std::string& key, Range range, std::optional<double> fallback = std::nullopt) const;
    int whole(const std::string& key, int low, int high, std::optional<int> fallback = std::nullopt) const;
    bool flag(const std::string& key, bool fallback) const;
    std::string text(const std::string& key, const std::optional<std::string>& fallback = std::nullopt) const;
    std::string id(const std::string& key, const std::optional<std::string>& fallback = std::nullopt) const;
    /// One of the words given.
    std::string choice(const std::string& key, const std::vector<std::string>& words,
        const std::optional<std::string>& fallback = std::nullopt) const;
    /// Three numbers, all in the unit of the key's suffix.
    geometry::Vector3 triple(
        const std::string& key, Range range, std::optional<geometry::Vector3> fallback = std::nullopt) const;
    std::vector<double> numbers(const std::string& key, std::size_t count, Range range) const;
    /// `at_mm` and `turn_deg` of this group as a frame; identity where missing.
    geometry::Frame frame() const;

    /// The groups of a list, with their paths by id or index; empty where the key is missing.
    std::vector<Reader> list(const std::string& key, std::size_t most = 10000) const;
    Reader group(const std::string& key) const;

    void problem(const std::string& key, const std::string& message) const;

private:
    /// The value of a key; null: it is not there.
    const json* look(const std::string& key) const;
    double converted(const std::string& key, const json& value, Range range) const;
    const json* group_ = nullptr;
    std::string path_;
    std::vector<Problem>* problems_;
    KeyLedger* ledger_ = nullptr;
    KeyLedger::Group* asked_ = nullptr;
};

/// Factor from the file's unit to the core's, by the key's suffix.
double unit_factor(const std::string& key);
/// The unit's sign by the key's suffix ("mm", "mm/s", "deg" ...), or nothing.
std::string unit_sign(const std::string& key);

}  // namespace escarp::cell
