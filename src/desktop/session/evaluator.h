#pragma once
// Evaluates on a thread of its own. The newest request wins: older work is stopped.

#include <QObject>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

#include <study/figures.h>

namespace escarp::desktop {

struct Evaluated {
    std::uint64_t edit = 0;  ///< number of the document that it belongs to
    QString variant;
    std::shared_ptr<const study::Evaluation> evaluation;  ///< null where `error` says why
    QString error;
    double took_ms = 0;
    bool as_before = false;  ///< it is what was known of it
};

class Evaluator : public QObject {
    Q_OBJECT
public:
    explicit Evaluator(inspection::Cache& cache, QObject* parent = nullptr);
    ~Evaluator() override;
    struct Asked {
        cell::Layout layout;
        /// What is known of it from before; it is what comes where nothing has changed that figures depend on.
        std::shared_ptr<const study::Evaluation> known = nullptr;
    };
    /// Replaces everything asked for before; variants are done in the order given, then the first comes once more, with
    /// its shared zones. `forced`: signals held at a value.
    void ask(std::vector<Asked> asked, std::uint64_t edit, std::map<std::string, double> forced = {});

Q_SIGNALS:
    void done(const escarp::desktop::Evaluated& result);

private:
    void work();
    bool answer(Evaluated& result, const std::optional<Asked>& asked, study::EvaluateOptions options, int next_step);

    std::mutex lock_;
    std::condition_variable wake_;
    std::deque<Asked> waiting_;
    std::map<std::string, double> forced_;
    bool first_comes_ = false;
    std::optional<Evaluated> first_;  ///< whose zones, or what is wrong with them, are still to be found
    std::uint64_t edit_ = 0;
    bool quit_ = false;
    inspection::StopFlag stop_{false};
    inspection::Cache& cache_;
    std::thread thread_;
};

}  // namespace escarp::desktop
