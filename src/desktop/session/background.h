#pragma once
// A question that takes a while, answered behind the window: what is asked next overtakes what was asked before.

#include <QObject>
#include <condition_variable>
#include <exception>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

#include <motion/stopped.h>

namespace escarp::desktop {

/// `Question` can be compared. Used from the window's thread alone, but for `work`.
template <typename Question, typename Answer>
class Background {
public:
    using Work = std::function<Answer(const Question&, const motion::StopFlag&)>;
    /// `work` may throw motion::Cancelled once its flag is set; anything else comes out of an event of `owner`, whose
    /// question stays unanswered. `found` is called in the thread of `owner`, which has to
    /// outlive this.
    Background(QObject* owner, Work work, std::function<void()> found)
        : owner_(owner), work_(std::move(work)), found_(std::move(found)), thread_([this] { run(); }) {}
    ~Background() {
        {
            const std::lock_guard guard(lock_);
            quit_ = true, stop_ = true;
        }
        wake_.notify_all();
        thread_.join();
    }
    /// Nothing happens where that is what was asked last.
    void ask(const Question& question) {
        if (asked_ == question) return;
        asked_ = question;
        answer_.reset();
        {
            const std::lock_guard guard(lock_);
            next_ = question;
            stop_ = true;
        }
        wake_.notify_all();
    }
    /// Nobody wants to know any longer.
    void forget() {
        asked_.reset();
        answer_.reset();
        const std::lock_guard guard(lock_);
        next_.reset();
        stop_ = true;
    }
    const std::optional<Question>& asked() const { return asked_; }
    /// Null until it is found.
    const Answer* answer() const { return answer_ ? &*answer_ : nullptr; }

private:
    void run() {
        while (true) {
            std::optional<Question> taken;
            {
                std::unique_lock hold(lock_);
                wake_.wait(hold, [this] { return quit_ || next_; });
                if (quit_) return;
                taken = std::exchange(next_, std::nullopt);
                stop_ = false;
            }
            const Question& question = *taken;
            try {
                Answer answer = work_(question, stop_);
                QMetaObject::invokeMethod(owner_, [this, question, answer = std::move(answer)] {
                    if (asked_ != question) return;
                    answer_ = answer;
                    found_();
                });
            } catch (const motion::Cancelled&) {
            } catch (const std::bad_alloc&) {  // it stays unanswered
            } catch (...) {                    // so it does, and the window says why
                QMetaObject::invokeMethod(
                    owner_, [wrong = std::current_exception()] { std::rethrow_exception(wrong); });
            }
        }
    }

    QObject* owner_;
    const Work work_;
    const std::function<void()> found_;
    std::optional<Question> asked_;
    std::optional<Answer> answer_;
    std::mutex lock_;
    std::condition_variable wake_;
    std::optional<Question> next_;
    bool quit_ = false;
    motion::StopFlag stop_{false};
    std::thread thread_;
};

}  // namespace escarp::desktop
