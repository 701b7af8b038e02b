#include "address_table.h"

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <map>
#include <optional>

#include <exchange/csv.h>

namespace escarp::link {
namespace {

constexpr int most_registers = 2000, most_bits = 16'000;

struct Direct {
    int byte = 0, bit = 0, bits = 1;
};
/// Of "%QX0.3", "%IW4", "%ID6".
std::optional<Direct> direct_of(const std::string& text, bool controller_sets) {
    if (text.size() < 4 || text[0] != '%' || text[1] != (controller_sets ? 'Q' : 'I')) return std::nullopt;
    Direct d;
    d.bits = text[2] == 'X' ? 1 : text[2] == 'W' ? 16 : text[2] == 'D' ? 32 : 0;
    const char *from = text.data() + 3, *end = text.data() + text.size();
    auto [stopped, problem] = std::from_chars(from, end, d.byte);
    if (d.bits == 0 || problem != std::errc()) return std::nullopt;
    if (d.bits > 1) return stopped == end ? std::optional(d) : std::nullopt;
    if (stopped == end || *stopped != '.') return std::nullopt;
    const auto [last, trouble] = std::from_chars(stopped + 1, end, d.bit);
    return trouble == std::errc() && last == end && d.bit >= 0 && d.bit < 8 ? std::optional(d) : std::nullopt;
}

int half_of(const Address& a) { return (a.controller_sets ? 2 : 0) + (a.on_off ? 0 : 1); }

/// A number as registers, the high word first.
std::array<std::uint16_t, 2> words_of(double value) {
    const auto bits = std::bit_cast<std::uint32_t>(static_cast<float>(value));
    return {static_cast<std::uint16_t>(bits >> 16), static_cast<std::uint16_t>(bits & 0xffff)};
}
double number_of(std::uint16_t high, std::uint16_t low) {
    return static_cast<double>(std::bit_cast<float>(std::uint32_t{high} << 16 | low));
}
std::uint16_t whole_word(double value) {
    return static_cast<std::uint16_t>(static_cast<std::int16_t>(std::clamp(std::round(value), -32768.0, 32767.0)));
}
double whole_of(std::uint16_t word) { return static_cast<std::int16_t>(word); }

void add(std::vector<std::pair<int, double>>& out, int signal, double value, long* refused) {
    if (std::isfinite(value)) out.emplace_back(signal, value);
    else if (refused) ++*refused;
}

}  // namespace

AddressTable address_table(const cell::Cell& cell, bool high_word_first) {
    AddressTable table;
    table.high_word_first = high_word_first;
    std::map<std::pair<bool, int>, int> taken;  // bits at the addresses of IEC 61131-3: signal
    for (const cell::IoLine& line : cell::io_list(cell)) {
        const cell::Signal& s = cell.signals[static_cast<std::size_t>(line.signal)];
        const std::string name = cell.full_name(s);
        Address a;
        a.signal = line.signal, a.controller_sets = s.controller_sets(), a.on_off = s.on_off(), a.direct = line.address;
        a.words = s.type == cell::Signal::Type::number ? 2 : 1;
        const auto d = direct_of(line.address, a.controller_sets);
        const int bits = a.on_off ? 1 : 16 * a.words;
        if (!d || d->bits != bits) {
            table.problems.push_back(name + ": \"" + line.address + "\" is no address of " +
                                     (a.controller_sets ? "an output" : "an input") + " that is " + word(s.type) +
                                     "; one such as %" + (a.controller_sets ? "Q" : "I") +
                                     (a.on_off          ? "X0.0"
                                         : a.words == 1 ? "W0"
                                                        : "D0") +
                                     " is expected.");
            continue;
        }
        if (!a.on_off && d->byte % 2 != 0) {
            table.problems.push_back(
                name + ": " + line.address + " begins within a register; an even number is expected.");
            continue;
        }
        a.number = a.on_off ? 8 * d->byte + d->bit : d->byte / 2;
        if (a.number + a.words > (a.on_off ? most_bits : most_registers)) {
            table.problems.push_back(name + ": " + line.address + " is beyond what a link has room for (" +
                                     std::to_string(most_bits) + " bits, " + std::to_string(most_registers) +
                                     " registers).");
            continue;
        }
        bool clash = false;
        for (int bit = 0; bit < bits && !clash; ++bit) {
            const auto [at, fresh] = taken.try_emplace({a.controller_sets, 8 * d->byte + d->bit + bit}, a.signal);
            if (fresh) continue;
            clash = true;
            table.problems.push_back(name + ": " + line.address + " lies in " +
                                     cell.full_name(cell.signals[static_cast<std::size_t>(at->second)]) + ".");
        }
        if (clash) continue;
        table.sizes[half_of(a)] = std::max(table.sizes[half_of(a)], a.number + a.words);
        table.rows.push_back(a);
    }
    return table;
}

std::string place_words(const Address& a, bool cell_is_server) {
    const bool writable = a.controller_sets == cell_is_server;  // by the client
    const std::string what = a.on_off   ? (writable ? "coil " : "discrete input ")
                             : writable ? "holding register "
                                        : "input register ";
    return what + std::to_string(a.number) + (a.words == 2 ? " and " + std::to_string(a.number + 1) : "");
}

std::string address_csv(const cell::Cell& cell, const AddressTable& table) {
    std::string out =
        exchange::csv_line({"signal", "type", "address", "controller", "cell as server", "cell as client"});
    for (const Address& a : table.rows) {
        const cell::Signal& s = cell.signals[static_cast<std::size_t>(a.signal)];
        out += exchange::csv_line({cell.full_name(s), word(s.type), a.direct,
            !a.controller_sets ? "reads"
            : s.heard_live()   ? "sets"
                               : "sets (in a live run the cell feeds it)",
            place_words(a, true), place_words(a, false)});
    }
    return out;
}

Half empty_half(const AddressTable& table, bool controller_sets) {
    const int from = controller_sets ? 2 : 0;
    return {std::vector<std::uint8_t>(static_cast<std::size_t>(table.sizes[from])),
        std::vector<std::uint16_t>(static_cast<std::size_t>(table.sizes[from + 1]))};
}

void write_half(const AddressTable& table, bool controller_sets, const std::vector<double>& values, Half& out) {
    for (const Address& a : table.rows) {
        if (a.controller_sets != controller_sets) continue;
        const double value = values[static_cast<std::size_t>(a.signal)];
        const auto at = static_cast<std::size_t>(a.number);
        if (a.on_off) {
            out.bits[at] = value != 0;
        } else if (a.words == 1) {
            out.registers[at] = whole_word(value);
        } else {
            const auto [high, low] = words_of(value);
            out.registers[at] = table.high_word_first ? high : low;
            out.registers[at + 1] = table.high_word_first ? low : high;
        }
    }
}

std::vector<std::pair<int, double>> read_half(
    const AddressTable& table, bool controller_sets, const Half& half, long* refused) {
    std::vector<std::pair<int, double>> out;
    for (const Address& a : table.rows) {
        if (a.controller_sets != controller_sets) continue;
        const auto at = static_cast<std::size_t>(a.number);
        if (a.on_off) out.emplace_back(a.signal, half.bits[at] != 0);
        else if (a.words == 1) out.emplace_back(a.signal, whole_of(half.registers[at]));
        else {
            const std::uint16_t first = half.registers[at], second = half.registers[at + 1];
            add(out, a.signal, table.high_word_first ? number_of(first, second) : number_of(second, first), refused);
        }
    }
    return out;
}

std::size_t image_words(const AddressTable& table, bool controller_sets) {
    int bytes = 0;
    for (const Address& a : table.rows)
        if (a.controller_sets == controller_sets)
            bytes = std::max(bytes, a.on_off ? a.number / 8 + 1 : 2 * (a.number + a.words));
    return static_cast<std::size_t>((bytes + 1) / 2);
}

std::vector<std::uint16_t> write_image(
    const AddressTable& table, bool controller_sets, const std::vector<double>& values) {
    std::vector<std::uint16_t> image(image_words(table, controller_sets));
    for (const Address& a : table.rows) {
        if (a.controller_sets != controller_sets) continue;
        const double value = values[static_cast<std::size_t>(a.signal)];
        const auto at = static_cast<std::size_t>(a.number);
        if (a.on_off) {
            if (value != 0) image[at / 16] = static_cast<std::uint16_t>(image[at / 16] | 1u << (at % 16));
        } else if (a.words == 1) {
            image[at] = whole_word(value);
        } else {
            const auto [high, low] = words_of(value);
            image[at] = low, image[at + 1] = high;  // bytes from the low one on
        }
    }
    return image;
}

std::vector<std::pair<int, double>> read_image(
    const AddressTable& table, bool controller_sets, const std::vector<std::uint16_t>& image, long* refused) {
    std::vector<std::pair<int, double>> out;
    const auto word = [&](std::size_t i) { return i < image.size() ? image[i] : std::uint16_t{0}; };
    for (const Address& a : table.rows) {
        if (a.controller_sets != controller_sets) continue;
        const auto at = static_cast<std::size_t>(a.number);
        if (a.on_off) out.emplace_back(a.signal, (word(at / 16) >> (at % 16) & 1) != 0);
        else if (a.words == 1) out.emplace_back(a.signal, whole_of(word(at)));
        else add(out, a.signal, number_of(word(at + 1), word(at)), refused);
    }
    return out;
}

}  // namespace escarp::link
