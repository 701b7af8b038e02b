#include "study_worker.h"

#include <tbb/task_arena.h>

#include <desktop/session/step_back.h>

namespace escarp::desktop {

StudyWorker::StudyWorker(QObject* parent) : QObject(parent) {
    qRegisterMetaType<std::shared_ptr<const study::Answered>>("std::shared_ptr<const escarp::study::Answered>");
}

StudyWorker::~StudyWorker() { end(); }

void StudyWorker::end() {
    stop_ = true;
    if (thread_.joinable()) thread_.join();
}

void StudyWorker::stop() { stop_ = true; }

double StudyWorker::seconds_left() const {
    const double gone = std::chrono::duration<double>(std::chrono::steady_clock::now() - began_).count();
    return share_ > 0.01 ? gone / share_ - gone : 0;
}

std::vector<study::Tried> StudyWorker::news() {
    const std::lock_guard guard(lock_);
    told_ = false;
    return std::exchange(news_, {});
}

void StudyWorker::ask(const cell::Layout& layout, const cell::Study& study, const QString& results, bool only_found) {
    end();
    stop_ = false, busy_ = true, share_ = 0;
    began_ = std::chrono::steady_clock::now();
    news();
    const int serial = ++serial_;
    thread_ = std::thread([this, serial, layout, study, results, only_found] {
        step_back();
        QString where, why;
        std::shared_ptr<const study::Answered> answer;
        try {
            if (!results_ || results_file_ != results) {
                results_.reset();
                results_ = std::make_unique<study::Results>(results.toStdString());
                results_file_ = results;
            }
            study::AskOptions options;
            options.results = results_.get();
            options.only_found = only_found;
            options.how.stop = &stop_;
            options.progress = [this](double share, const study::Tried& tried) {
                {
                    const std::lock_guard guard(lock_);
                    news_.push_back(tried);
                }
                share_ = share;
                if (!told_.exchange(true)) QMetaObject::invokeMethod(this, [this] { Q_EMIT moved(); });
            };
            const int cores = static_cast<int>(std::thread::hardware_concurrency());
            tbb::task_arena arena(std::max(1, cores - 1));  // one is left for the window
            inspection::Cache cache;                        // as long as the study: what it found is among the results
            arena.execute(
                [&] { answer = std::make_shared<const study::Answered>(study::ask(layout, study, cache, options)); });
        } catch (const motion::Cancelled&) {
            try {
                if (results_) results_->write();
            } catch (const cell::InputError& e) {
                why = QString::fromStdString(e.problems().front().message);
            }
        } catch (const cell::InputError& e) {
            where = QString::fromStdString(e.problems().front().where);
            why = QString::fromStdString(e.problems().front().message);
        } catch (const std::bad_alloc&) {
            why = tr("The machine has not enough memory left for this study.");
        } catch (const std::exception& e) {
            why = tr("This did not work (%1).").arg(QString::fromUtf8(e.what()).left(300));
        }
        QMetaObject::invokeMethod(this, [this, serial, answer, where, why] {
            if (serial != serial_) return;  // something else has been asked since
            busy_ = false;
            if (answer) Q_EMIT answered(answer);
            else if (!why.isEmpty()) Q_EMIT failed(where, why);
            else Q_EMIT stopped();
        });
    });
}

}  // namespace escarp::desktop
