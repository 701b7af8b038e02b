#pragma once
// Results kept by content key, within a stated amount of memory.

#include <cstdint>
#include <mutex>
#include <optional>
#include <unordered_map>
#include <utility>

namespace escarp::cell {

/// Two generations: when the young one has grown to half of the limit it becomes the old one, and what was the old one
/// and not asked for since then is forgotten. Safe to use from several threads.
template <typename Value>
class Kept {
public:
    explicit Kept(std::size_t bytes) : half_(bytes / 2) {}

    std::optional<Value> find(std::uint64_t key) {
        const std::lock_guard guard(lock_);
        if (const auto found = young_.find(key); found != young_.end()) return found->second.value;
        const auto found = old_.find(key);
        if (found == old_.end()) return std::nullopt;
        return revive(found);
    }
    /// What is kept already stays as it is; the value that everybody finds from now on. `bytes`: what it takes besides
    /// its own size.
    Value keep(std::uint64_t key, Value value, std::size_t bytes = 0) {
        const std::lock_guard guard(lock_);
        if (const auto found = young_.find(key); found != young_.end()) return found->second.value;
        if (const auto found = old_.find(key); found != old_.end()) return revive(found);
        put(key, {value, bytes + sizeof(Item) + 32});
        return value;
    }
    std::size_t bytes() const {
        const std::lock_guard guard(lock_);
        return young_bytes_ + old_bytes_;
    }

private:
    struct Item {
        Value value;
        std::size_t bytes;
    };
    using Items = std::unordered_map<std::uint64_t, Item>;
    /// Asked for again: it goes over to the young ones.
    Value revive(typename Items::iterator found) {
        const std::uint64_t key = found->first;
        Item item = std::move(found->second);
        old_.erase(found);
        old_bytes_ -= item.bytes;
        Value value = item.value;
        put(key, std::move(item));
        return value;
    }
    void put(std::uint64_t key, Item item) {
        if (young_bytes_ + item.bytes > half_) {
            old_.swap(young_);
            young_.clear();
            old_bytes_ = std::exchange(young_bytes_, 0);
        }
        young_bytes_ += item.bytes;
        young_.emplace(key, std::move(item));
    }

    mutable std::mutex lock_;
    Items young_, old_;
    std::size_t young_bytes_ = 0, old_bytes_ = 0;
    const std::size_t half_;
};

}  // namespace escarp::cell
