#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <algorithm>
#include <cerrno>

#include <modbus/modbus.h>

#include "modbus.h"

namespace escarp::wire {

struct Client::Context {
    modbus_t* modbus = nullptr;
    ~Context() {
        if (modbus) modbus_close(modbus), modbus_free(modbus);
    }
};

Client::Client(const Endpoint& to) : to_(to) {}
Client::~Client() = default;

void Client::close() {
    context_.reset();
    connected_ = false;
}

void Client::fail(const char* doing) {
    const std::string why = modbus_strerror(errno);
    close();
    throw WireError(std::string(doing) + " " + to_.text() + " failed: " + why + ".");
}

void Client::connect() {
    if (connected_) return;
    context_ = std::make_unique<Context>();
    // Names and both families of addresses.
    context_->modbus = modbus_new_tcp_pi(to_.host.c_str(), std::to_string(to_.port).c_str());
    if (!context_->modbus) throw WireError("\"" + to_.host + "\" is no address to connect to.");
    modbus_set_slave(context_->modbus, to_.unit);
    const auto us = static_cast<std::uint32_t>(to_.time_out * 1e6);
    modbus_set_response_timeout(context_->modbus, us / 1'000'000, us % 1'000'000);
    if (modbus_connect(context_->modbus) != 0) fail("Connecting to");
    const int yes = 1;
    setsockopt(modbus_get_socket(context_->modbus), IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
    connected_ = true;
}

std::vector<std::uint8_t> Client::read_discrete_inputs(int from, int count) {
    connect();
    std::vector<std::uint8_t> all(static_cast<std::size_t>(count));
    for (int done = 0; done < count;) {
        const int now = std::min(count - done, MODBUS_MAX_READ_BITS);
        if (modbus_read_input_bits(context_->modbus, from + done, now, all.data() + done) != now) fail("Reading from");
        done += now;
    }
    return all;
}

namespace {
template <typename Read>
bool in_pieces(int count, int most, const Read& read) {
    for (int done = 0; done < count;) {
        const int now = std::min(count - done, most);
        if (read(done, now) != now) return false;
        done += now;
    }
    return true;
}
}  // namespace

std::vector<std::uint16_t> Client::read_input_registers(int from, int count) {
    connect();
    std::vector<std::uint16_t> all(static_cast<std::size_t>(count));
    if (!in_pieces(count, MODBUS_MAX_READ_REGISTERS, [&](int done, int now) {
            return modbus_read_input_registers(context_->modbus, from + done, now, all.data() + done);
        }))
        fail("Reading from");
    return all;
}

std::vector<std::uint16_t> Client::read_holding_registers(int from, int count) {
    connect();
    std::vector<std::uint16_t> all(static_cast<std::size_t>(count));
    if (!in_pieces(count, MODBUS_MAX_READ_REGISTERS, [&](int done, int now) {
            return modbus_read_registers(context_->modbus, from + done, now, all.data() + done);
        }))
        fail("Reading from");
    return all;
}

void Client::write_coils(int from, const std::vector<std::uint8_t>& values) {
    connect();
    if (!in_pieces(static_cast<int>(values.size()), MODBUS_MAX_WRITE_BITS, [&](int done, int now) {
            return modbus_write_bits(context_->modbus, from + done, now, values.data() + done);
        }))
        fail("Writing to");
}

void Client::write_registers(int from, const std::vector<std::uint16_t>& values) {
    connect();
    if (!in_pieces(static_cast<int>(values.size()), MODBUS_MAX_WRITE_REGISTERS, [&](int done, int now) {
            return modbus_write_registers(context_->modbus, from + done, now, values.data() + done);
        }))
        fail("Writing to");
}

lock_step::State Client::step(std::int64_t& microseconds, int number, std::vector<std::uint16_t>& image,
    std::size_t back_words, const std::atomic<bool>& stop) {
    namespace ls = lock_step;
    connect();
    std::vector<std::uint16_t> out{static_cast<std::uint16_t>(microseconds >> 16),
        static_cast<std::uint16_t>(microseconds & 0xffff), static_cast<std::uint16_t>(number)};
    // What does not fit into the request that asks for the step goes before it.
    constexpr std::size_t with_step = MODBUS_MAX_WR_WRITE_REGISTERS - ls::image;
    const std::size_t first = std::min(image.size(), with_step);
    if (image.size() > first)
        write_registers(ls::to_server + ls::image + static_cast<int>(first),
            {image.begin() + static_cast<std::ptrdiff_t>(first), image.end()});
    out.insert(out.end(), image.begin(), image.begin() + static_cast<std::ptrdiff_t>(first));
    const std::size_t at_once = std::min<std::size_t>(back_words, MODBUS_MAX_WR_READ_REGISTERS - ls::back_image);
    std::vector<std::uint16_t> in(ls::back_image + at_once);
    for (;;) {
        if (modbus_write_and_read_registers(context_->modbus, ls::to_server, static_cast<int>(out.size()), out.data(),
                ls::from_server, static_cast<int>(in.size()), in.data()) != static_cast<int>(in.size()))
            fail("A step with");
        if (in[ls::state] != ls::not_yet || stop) break;
    }
    if (in[ls::state] == ls::not_yet) return ls::not_yet;
    microseconds = static_cast<std::int64_t>(in[ls::done_us]) << 16 | in[ls::done_us + 1];
    image.assign(in.begin() + ls::back_image, in.end());
    if (back_words > at_once) {
        const auto rest = read_holding_registers(
            ls::from_server + ls::back_image + static_cast<int>(at_once), static_cast<int>(back_words - at_once));
        image.insert(image.end(), rest.begin(), rest.end());
    }
    return static_cast<ls::State>(in[ls::state]);
}

}  // namespace escarp::wire
