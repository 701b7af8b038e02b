#include "evaluator.h"

#include <QElapsedTimer>
#include <tbb/task_scheduler_observer.h>

#include "step_back.h"

namespace escarp::desktop {
namespace {

class LowPriority final : public tbb::task_scheduler_observer {
public:
    LowPriority() { observe(true); }
    ~LowPriority() override { observe(false); }
    void on_scheduler_entry(bool worker) override {
        if (worker) step_back();
    }
};

std::shared_ptr<const study::Evaluation> known(const Evaluator::Asked& asked) {
    if (!asked.known || asked.known->layout.content() != asked.layout.content()) return nullptr;
    auto same = std::make_shared<study::Evaluation>(*asked.known);
    same->layout = asked.layout;
    return same;
}

}  // namespace

Evaluator::Evaluator(inspection::Cache& cache, QObject* parent) : QObject(parent), cache_(cache) {
    qRegisterMetaType<Evaluated>("escarp::desktop::Evaluated");
    thread_ = std::thread([this] { work(); });
}

Evaluator::~Evaluator() {
    {
        const std::lock_guard guard(lock_);
        quit_ = true;
        stop_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

void Evaluator::ask(std::vector<Asked> asked, std::uint64_t edit, std::map<std::string, double> forced) {
    {
        const std::lock_guard guard(lock_);
        forced_ = std::move(forced);
        waiting_.assign(asked.begin(), asked.end());
        first_.reset();
        first_comes_ = true;
        edit_ = edit;
        stop_ = true;
    }
    wake_.notify_all();
}

void Evaluator::work() {
    step_back();
    const LowPriority politely;
    bool worked = false;  // since memory was given back last
    while (true) {
        std::optional<Asked> asked_now;
        Evaluated result;
        int next_step = 0;  // of what comes behind the figures: the zones, then what is wrong with them
        study::EvaluateOptions options;
        {
            std::unique_lock hold(lock_);
            const auto asked = [this] { return quit_ || !waiting_.empty() || first_; };
            if (!wake_.wait_for(hold, std::chrono::seconds(1), asked)) {
                if (std::exchange(worked, false)) give_memory_back();
                wake_.wait(hold, asked);
            }
            worked = true;
            if (quit_) return;
            stop_ = false;
            if (waiting_.empty()) {
                result = *std::exchange(first_, std::nullopt);
                next_step = result.evaluation->zones ? 2 : 1;
            } else {
                asked_now = waiting_.front();
                result.variant = QString::fromStdString(asked_now->layout.variant());
                result.edit = edit_;
                waiting_.pop_front();
                options.run.forced = forced_;
            }
        }
        if (!answer(result, asked_now, options, next_step)) continue;
        {
            const std::lock_guard guard(lock_);
            const bool first = asked_now && result.edit == edit_ && std::exchange(first_comes_, false);
            const bool more = !asked_now && result.edit == edit_ && next_step == 1;
            if ((first || more) && result.evaluation && !result.evaluation->complete) first_ = result;
        }
        Q_EMIT done(result);
        give_much_memory_back();
    }
}

/// False: it was overtaken.
bool Evaluator::answer(
    Evaluated& result, const std::optional<Asked>& asked, study::EvaluateOptions options, int next_step) {
    QElapsedTimer clock;
    clock.start();
    try {
        options.stop = &stop_;
        if (asked) {
            result.evaluation = known(*asked);
            result.as_before = result.evaluation != nullptr;
            if (!result.as_before) result.evaluation = study::evaluate(asked->layout, cache_, options);
        } else {
            result.evaluation = study::with_zones(*result.evaluation, cache_, &stop_, next_step > 1);
        }
    } catch (const inspection::Cancelled&) {
        return false;
    } catch (const std::bad_alloc&) {
        result.error =
            tr("The machine has not enough memory left for this variant's figures. A shorter horizon or fewer "
               "devices need less.");
    } catch (const std::exception& e) {
        result.error = QString::fromUtf8(e.what());
    }
    if (asked) result.took_ms = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    return true;
}

}  // namespace escarp::desktop
