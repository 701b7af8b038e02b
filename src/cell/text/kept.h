#pragma once
// Results kept by content key, within a stated amount of memory.

#include <cstdint>
#include <list>
#include <mutex>
#include <optional>
#include <unordered_map>
#include <utility>

namespace escarp::cell {

/// What was asked for longest ago goes first. What one evaluation asks for has to fit, or the next one finds nothing of
/// it any more. Safe to use from several threads.
template <typename Value>
class Kept {
public:
    explicit Kept(std::size_t bytes) : limit_(bytes) {}

    std::optional<Value> find(std::uint64_t key) {
        const std::lock_guard guard(lock_);
        const auto found = places_.find(key);
        if (found == places_.end()) return std::nullopt;
        return used(found->second);
    }
    /// What is kept already stays as it is; the value that everybody finds from now on. `bytes`: what it takes besides
    /// its own size.
    Value keep(std::uint64_t key, Value value, std::size_t bytes = 0) {
        const std::lock_guard guard(lock_);
        if (const auto found = places_.find(key); found != places_.end()) return used(found->second);
        constexpr std::size_t links = 64;  // of the list and the table
        items_.push_front({key, value, bytes + sizeof(Item) + links});
        places_.emplace(key, items_.begin());
        bytes_ += items_.front().bytes;
        while (bytes_ > limit_ && !items_.empty()) {
            bytes_ -= items_.back().bytes;
            places_.erase(items_.back().key);
            items_.pop_back();
        }
        return value;
    }
    std::size_t bytes() const {
        const std::lock_guard guard(lock_);
        return bytes_;
    }

private:
    struct Item {
        std::uint64_t key;
        Value value;
        std::size_t bytes;
    };
    using Items = std::list<Item>;
    Value used(typename Items::iterator item) {
        items_.splice(items_.begin(), items_, item);
        return item->value;
    }

    mutable std::mutex lock_;
    Items items_;  ///< what was asked for last is the first
    std::unordered_map<std::uint64_t, typename Items::iterator> places_;
    std::size_t bytes_ = 0;
    const std::size_t limit_;
};

}  // namespace escarp::cell
