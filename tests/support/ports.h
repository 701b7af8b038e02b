#pragma once
// Ports of this machine, for tests of links.

#include <arpa/inet.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include <stdexcept>

namespace escarp::tests {

/// Listens at a port of loopback while it lives, so that nobody else can.
class TakenPort {
public:
    TakenPort() : socket_(::socket(AF_INET, SOCK_STREAM, 0)) {
        sockaddr_in at{};
        at.sin_family = AF_INET, at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        socklen_t size = sizeof at;
        if (::bind(socket_, reinterpret_cast<sockaddr*>(&at), sizeof at) != 0 || ::listen(socket_, 1) != 0)
            throw std::runtime_error("no port is free");
        ::getsockname(socket_, reinterpret_cast<sockaddr*>(&at), &size);
        number_ = ntohs(at.sin_port);
    }
    ~TakenPort() { ::close(socket_); }
    TakenPort(const TakenPort&) = delete;
    int number() const { return number_; }

private:
    const int socket_;
    int number_ = 0;
};

/// Whether somebody listens at a port of loopback.
inline bool answers(int port) {
    const int one = ::socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in at{};
    at.sin_family = AF_INET, at.sin_port = htons(static_cast<std::uint16_t>(port));
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    const bool yes = ::connect(one, reinterpret_cast<sockaddr*>(&at), sizeof at) == 0;
    ::close(one);
    return yes;
}

/// A port that nobody listens at.
inline int free_port() { return TakenPort().number(); }

}  // namespace escarp::tests
