#pragma once
// Debian's broker of MQTT, for tests.

#include <sys/wait.h>
#include <unistd.h>
#include <csignal>
#include <cstdio>

#include <cell/text/disk.h>

#include "folder.h"
#include "ports.h"

namespace escarp::tests {

/// Debian's broker on a port of its own, while it lives.
class Broker {
public:
    explicit Broker(int port, const std::string& more = "allow_anonymous true\n") : port_(port) {
        cell::write_file(folder_ / "broker.conf", "listener " + std::to_string(port) + " 127.0.0.1\n" + more);
        start();
    }
    ~Broker() { stop(); }
    /// Until it answers. A port may be taken for a moment, by the near end of somebody's connection: tried again.
    void start() {
        for (int tries = 0; tries < 100; ++tries) {
            begin();
            while (::waitpid(pid_, nullptr, WNOHANG) == 0) {
                if (answers(port_)) return;
                ::usleep(10'000);
            }
            pid_ = -1;
            ::usleep(100'000);
        }
        throw std::runtime_error("no broker could be started");
    }
    void stop() {
        if (pid_ <= 0) return;
        ::kill(pid_, SIGKILL);
        ::waitpid(pid_, nullptr, 0);
        pid_ = -1;
    }
    const tests::Folder& folder() const { return folder_; }

private:
    void begin() {
        pid_ = ::fork();
        if (pid_ == 0) {
            (void)!std::freopen("/dev/null", "w", stderr);
            ::execl("/usr/sbin/mosquitto", "mosquitto", "-c", (folder_ / "broker.conf").c_str(),
                static_cast<char*>(nullptr));
            ::_exit(127);
        }
    }
    tests::Folder folder_;
    const int port_;
    pid_t pid_ = -1;
};

}  // namespace escarp::tests
