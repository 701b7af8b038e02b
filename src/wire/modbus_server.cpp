#include <arpa/inet.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <sys/socket.h>
#include <unistd.h>
#include <cerrno>
#include <cstring>
#include <mutex>

#include <modbus/modbus.h>

#include "modbus.h"

namespace escarp::wire {
namespace {

constexpr int most_clients = 16;
constexpr int header = 7;  // bytes before the function code
constexpr std::uint8_t write_coil = 5, write_register = 6, write_coils = 15, write_registers = 16, mask_register = 22,
                       write_and_read = 23;

int number_at(const std::uint8_t* bytes, int at) { return bytes[at] << 8 | bytes[at + 1]; }

/// The registers of lock-step, in one stretch from the first to the last of them.
constexpr int lock_first = lock_step::to_server;
constexpr int lock_words = lock_step::from_server + lock_step::back_image + lock_step::most_words - lock_first;

}  // namespace

class Server::Work {
public:
    Work(const Endpoint& at, Tables tables, Served& served) : at_(at), tables_(std::move(tables)), served_(served) {
        listen();
        wake_ = eventfd(0, EFD_CLOEXEC);
        context_ = modbus_new_tcp("127.0.0.1", at.port);  // to read requests and write answers with
        modbus_set_slave(context_, at.unit);
        // The rest of a request has to come at once: others wait meanwhile.
        modbus_set_byte_timeout(context_, 0, 50'000);
    }
    ~Work() {
        for (const int c : clients_) ::close(c);
        if (listening_ >= 0) ::close(listening_);
        ::close(wake_);
        modbus_free(context_);
    }
    void stop() {
        stopped_ = true;
        const std::uint64_t one = 1;
        [[maybe_unused]] const auto written = ::write(wake_, &one, sizeof one);
    }
    Counts counts() const {
        const std::lock_guard<std::mutex> hold(counting_);
        return counts_;
    }
    void run() {
        while (!stopped_) {
            std::vector<pollfd> all{{wake_, POLLIN, 0}, {listening_, POLLIN, 0}};
            for (const int c : clients_) all.push_back({c, POLLIN, 0});
            if (::poll(all.data(), all.size(), -1) < 0) {
                if (errno == EINTR) continue;
                return;
            }
            if (stopped_) return;
            // Who has gone makes room for who comes.
            for (std::size_t i = 2; i < all.size(); ++i)
                if (all[i].revents && !answer(all[i].fd)) drop(all[i].fd);
            if (all[1].revents) accept();
        }
    }

private:
    void listen() {
        addrinfo wanted{}, *found = nullptr;
        wanted.ai_socktype = SOCK_STREAM, wanted.ai_flags = AI_PASSIVE;
        const std::string port = std::to_string(at_.port);
        if (const int problem = getaddrinfo(at_.host.c_str(), port.c_str(), &wanted, &found); problem != 0)
            throw WireError("\"" + at_.host + "\" is no address of this machine (" + gai_strerror(problem) + ").");
        int problem = 0;
        for (const addrinfo* a = found; a && listening_ < 0; a = a->ai_next) {
            const int s = ::socket(a->ai_family, a->ai_socktype | SOCK_CLOEXEC, a->ai_protocol);
            const int yes = 1;
            if (s < 0) continue;
            setsockopt(s, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
            if (::bind(s, a->ai_addr, a->ai_addrlen) == 0 && ::listen(s, most_clients) == 0) listening_ = s;
            else problem = errno, ::close(s);
        }
        freeaddrinfo(found);
        if (listening_ >= 0) return;
        if (problem == EADDRINUSE)
            throw WireError(
                "Port " + port + " of " + at_.host + " is taken by another program; another port is expected.");
        if (problem == EACCES)
            throw WireError("Port " + port + " needs the rights of root; one from 1024 on is expected.");
        throw WireError("Cannot listen at " + at_.text() + ": " + std::strerror(problem) + ".");
    }
    void accept() {
        const int c = ::accept4(listening_, nullptr, nullptr, SOCK_CLOEXEC);
        if (c < 0) return;
        if (clients_.size() >= most_clients) {
            ::close(c);
            const std::lock_guard<std::mutex> hold(counting_);
            ++counts_.refused;
            return;
        }
        const int yes = 1;
        setsockopt(c, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
        // A client that never reads is dropped, and keeps nobody waiting.
        const timeval patience{0, 200'000};
        setsockopt(c, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
        clients_.push_back(c);
        const std::lock_guard<std::mutex> hold(counting_);
        ++counts_.connections;
        counts_.clients = static_cast<int>(clients_.size());
    }
    void drop(int client) {
        ::close(client);
        std::erase(clients_, client);
        const std::lock_guard<std::mutex> hold(counting_);
        counts_.clients = static_cast<int>(clients_.size());
    }
    /// One request. False: it is no client any more.
    bool answer(int client) {
        std::uint8_t request[MODBUS_TCP_MAX_ADU_LENGTH];
        modbus_set_socket(context_, client);
        const int length = modbus_receive(context_, request);
        if (length < header + 5) {
            if (length > 0 || (errno != ECONNRESET && errno != 0)) {
                const std::lock_guard<std::mutex> hold(counting_);
                ++counts_.refused;
            }
            return false;
        }
        {
            const std::lock_guard<std::mutex> hold(counting_);
            ++counts_.requests;
        }
        constexpr int anybody = 255;  // as clients say that do not care
        if (const int unit = request[header - 1]; unit != at_.unit && unit != 0 && unit != anybody) {
            const std::lock_guard<std::mutex> hold(counting_);
            ++counts_.refused;
            return modbus_reply_exception(context_, request, MODBUS_EXCEPTION_GATEWAY_TARGET) > 0;
        }
        const int function = request[header], first = number_at(request, header + 1);
        if (first >= lock_first && function != write_coil && function != write_coils) {
            if (!steps(request, length))
                return modbus_reply_exception(context_, request, MODBUS_EXCEPTION_ILLEGAL_DATA_VALUE) > 0;
            modbus_mapping_t map{};
            map.start_registers = lock_first, map.nb_registers = lock_words, map.tab_registers = lock_.data();
            return modbus_reply(context_, request, length, &map) > 0;
        }
        served_.before_request(tables_);
        modbus_mapping_t map{};
        map.nb_bits = static_cast<int>(tables_.coils.size()), map.tab_bits = tables_.coils.data();
        map.nb_input_bits = static_cast<int>(tables_.discrete_inputs.size()),
        map.tab_input_bits = tables_.discrete_inputs.data();
        map.nb_registers = static_cast<int>(tables_.holding_registers.size()),
        map.tab_registers = tables_.holding_registers.data();
        map.nb_input_registers = static_cast<int>(tables_.input_registers.size()),
        map.tab_input_registers = tables_.input_registers.data();
        if (modbus_reply(context_, request, length, &map) <= 0) return false;
        const int count = function == write_coils || function == write_registers ? number_at(request, header + 3) : 1;
        const auto within = [&](std::size_t size) { return first + count <= static_cast<int>(size); };
        if ((function == write_coil || function == write_coils) && within(tables_.coils.size()))
            served_.coils_written(tables_, first, count);
        if ((function == write_register || function == write_registers || function == mask_register) &&
            within(tables_.holding_registers.size()))
            served_.registers_written(tables_, first, count);
        if (function == write_and_read && length >= header + 10) {
            const int from = number_at(request, header + 5), written = number_at(request, header + 7);
            if (from + written <= static_cast<int>(tables_.holding_registers.size()))
                served_.registers_written(tables_, from, written);
        }
        return true;
    }
    /// What a request to the registers of lock-step brings is taken over; the number of a step asks for that step.
    bool steps(const std::uint8_t* request, int length) {
        const int function = request[header];
        const bool both = function == write_and_read;
        if (function != write_registers && !both) return true;
        const int from = number_at(request, header + (both ? 5 : 1)),
                  count = number_at(request, header + (both ? 7 : 3)), data = header + (both ? 10 : 6);
        if (from < lock_first || from + count > lock_first + lock_words || data + 2 * count > length) return false;
        for (int i = 0; i < count; ++i)
            lock_[static_cast<std::size_t>(from - lock_first + i)] =
                static_cast<std::uint16_t>(number_at(request, data + 2 * i));
        using namespace lock_step;
        if (from > to_server + number || from + count <= to_server + number) return true;
        const std::uint16_t* in = lock_.data();
        std::uint16_t* out = lock_.data() + (from_server - to_server);
        std::int64_t us = static_cast<std::int64_t>(in[step_us]) << 16 | in[step_us + 1];
        const std::vector<std::uint16_t> image_in(in + image, in + image + most_words);
        std::vector<std::uint16_t> image_out(most_words);
        const State now = served_.step(us, in[number], image_in, image_out);
        out[lock_step::state] = now;
        if (now == not_yet) return true;
        out[done] = in[number];
        out[done_us] = static_cast<std::uint16_t>(us >> 16), out[done_us + 1] = static_cast<std::uint16_t>(us & 0xffff);
        std::copy(image_out.begin(), image_out.end(), out + back_image);
        return true;
    }

    const Endpoint at_;
    Tables tables_;
    Served& served_;
    modbus_t* context_ = nullptr;
    int listening_ = -1, wake_ = -1;
    std::vector<int> clients_;
    std::vector<std::uint16_t> lock_ = std::vector<std::uint16_t>(lock_words);
    std::atomic<bool> stopped_ = false;
    mutable std::mutex counting_;
    Counts counts_;
};

Server::Server(const Endpoint& at, Tables tables, Served& served)
    : work_(std::make_unique<Work>(at, std::move(tables), served)), thread_([this] { work_->run(); }) {}
Server::~Server() {
    work_->stop();
    thread_.join();
}
Counts Server::counts() const { return work_->counts(); }

}  // namespace escarp::wire
