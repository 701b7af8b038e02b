#pragma once
// Where a cell's signals lie in the tables of Modbus: made from the addresses of the I/O list.

#include <cell/read/wiring.h>
#include <wire/modbus.h>

namespace escarp::link {

/// Of a signal: its table by what the controller does with it (sets it, or reads it) and by its type, and its number
/// there, from 0.
struct Address {
    int signal = -1;
    bool controller_sets = false;
    bool on_off = true;
    int number = 0;      ///< of the bit; or of the first register
    int words = 1;       ///< registers: 1 for a whole number, 2 for a number (IEEE 754, single precision)
    std::string direct;  ///< "%IX0.3", as IEC 61131-3 has it
};

struct AddressTable {
    std::vector<Address> rows;               ///< in the order of the cell's signals
    std::vector<std::string> problems = {};  ///< clashes, gaps, addresses that are none: in words
    int sizes[4] = {0, 0, 0, 0};             ///< read bits, read registers, set bits, set registers
    bool high_word_first = true;
};

/// `%IX1.2` becomes bit 10, `%IW6` and `%ID6` begin at register 3. Signals whose address does not fit are left out and
/// told.
AddressTable address_table(const cell::Cell& cell, bool high_word_first = true);

/// "discrete input 3", "holding register 2 and 3": of the cell as server. As client the controller has the same numbers
/// as coils and holding registers for what it reads, and as discrete inputs and input registers for what it sets.
std::string place_words(const Address& a, bool cell_is_server);
/// One line for each signal.
std::string address_csv(const cell::Cell& cell, const AddressTable& table);

/// Values of signals (by index; on is 1) as bits and registers of the tables' halves.
struct Half {
    std::vector<std::uint8_t> bits;
    std::vector<std::uint16_t> registers;
};
Half empty_half(const AddressTable& table, bool controller_sets);
void write_half(const AddressTable& table, bool controller_sets, const std::vector<double>& values, Half& out);
/// Signals and their values in it. `refused` counts what is no number.
std::vector<std::pair<int, double>> read_half(
    const AddressTable& table, bool controller_sets, const Half& half, long* refused = nullptr);

/// The same as one stretch of bytes at the addresses of IEC 61131-3, in words, low byte first: for lock-step.
std::vector<std::uint16_t> write_image(
    const AddressTable& table, bool controller_sets, const std::vector<double>& values);
std::vector<std::pair<int, double>> read_image(
    const AddressTable& table, bool controller_sets, const std::vector<std::uint16_t>& image, long* refused = nullptr);
std::size_t image_words(const AddressTable& table, bool controller_sets);

}  // namespace escarp::link
