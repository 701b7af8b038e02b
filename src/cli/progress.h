#pragma once
// Says on a terminal that a command which takes long is still at work, and for how long.

#include <condition_variable>
#include <mutex>
#include <thread>

namespace escarp::cli {

class Progress {
public:
    /// Nothing is said in the first second, and nothing at all where stderr is no terminal.
    Progress();
    ~Progress();  ///< takes the line away again

private:
    std::mutex lock_;
    std::condition_variable ended_;
    bool end_ = false;
    std::thread teller_;
};

}  // namespace escarp::cli
