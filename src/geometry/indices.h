#pragma once
// Counting through a list with the number type that indices have everywhere here.

namespace escarp {

/// 0 ... size - 1.
class Indices {
public:
    explicit Indices(int size) : size_(size) {}
    class Iterator {
    public:
        explicit Iterator(int at) : at_(at) {}
        int operator*() const { return at_; }
        Iterator& operator++() {
            ++at_;
            return *this;
        }
        bool operator==(const Iterator&) const = default;

    private:
        int at_;
    };
    Iterator begin() const { return Iterator(0); }
    Iterator end() const { return Iterator(size_); }

private:
    int size_;
};
/// Of a list that does not grow or shrink meanwhile.
template <typename List>
Indices indices(const List& list) {
    return Indices(static_cast<int>(list.size()));
}

}  // namespace escarp
