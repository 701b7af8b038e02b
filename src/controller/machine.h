#pragma once
// A controller that goes through its program scan by scan.

#include <array>
#include <map>
#include <vector>

#include "unit.h"

namespace escarp::controller {

/// Inputs, outputs and memory as bytes; words and double words begin with their low byte.
class Image {
public:
    bool bit(int byte, int nth) const { return (bytes_[static_cast<std::size_t>(byte)] >> nth & 1) != 0; }
    void set_bit(int byte, int nth, bool on);
    std::uint16_t word(int byte) const;
    void set_word(int byte, std::uint16_t value);
    std::uint32_t double_word(int byte) const { return word(byte) | std::uint32_t{word(byte + 2)} << 16; }
    void set_double_word(int byte, std::uint32_t value);

private:
    std::vector<std::uint8_t> bytes_ = std::vector<std::uint8_t>(most_bytes + 4);
};

class Machine {
public:
    explicit Machine(std::shared_ptr<const BlockType> program);

    Image& inputs() { return images_[0]; }
    const Image& outputs() const { return images_[1]; }
    /// Reads inputs, goes through the program once, writes outputs. `now`: microseconds since it began. Throws Mistake
    /// where the program cannot go on (it divides by nothing, or does not come to an end); outputs stay as they were.
    void scan(std::int64_t now);

    /// What can be watched: every variable, those of instances after a dot.
    struct Watched {
        std::string name;
        Type type;
        std::string address;  ///< empty: it has none
        Path path;
        bool forced = false;
    };
    const std::vector<Watched>& variables() const { return watched_; }
    Value value(std::size_t variable) const;
    std::string value_text(std::size_t variable) const;
    /// Held at a value, whatever the program or the cell says; nullopt: not any more.
    void force(std::size_t variable, std::optional<Value> value);
    int variable(const std::string& name) const;  ///< -1

    /// Highest bytes that the program's variables are at, +1; of inputs and of outputs.
    int input_bytes() const { return used_[0]; }
    int output_bytes() const { return used_[1]; }
    std::vector<Address> located(Address::Area area) const;

private:
    struct Instance {
        const BlockType* type;
        std::vector<Value> values;
        std::map<int, Instance> blocks = {};  ///< by variable
    };
    enum class Then { on, leave, finish };
    static Instance made(const BlockType& type);
    static Instance& inside(Instance& at, const std::vector<int>& blocks);
    static const Instance& inside(const Instance& at, const std::vector<int>& blocks);
    void watch(const BlockType& type, const std::string& before, const std::vector<int>& blocks);
    Then run(Instance& at, const Statements& statements);
    Then run(Instance& at, const Statement& statement);
    void call(Instance& at, const Statement& statement);
    Then count(Instance& at, const Statement& statement);
    Value worth(const Instance& at, const Expression& e) const;
    Value worth_of_two(const Expression& e, const Value& a, const Value& b) const;
    void hold_forced();
    void tick(Position at);

    std::shared_ptr<const BlockType> program_;
    Instance all_;
    std::array<Image, 3> images_;
    std::array<int, 3> used_{};
    std::vector<Watched> watched_;
    std::map<std::size_t, Value> forced_;
    std::int64_t now_ = 0;
    long steps_ = 0;  ///< of this scan
};

}  // namespace escarp::controller
