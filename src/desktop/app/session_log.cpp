#include "session_log.h"

#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>
#include <QCoreApplication>

#include <cell/document/safe_file.h>

namespace escarp::desktop {
namespace {

constexpr std::size_t most_bytes = 1u << 20;
constexpr double long_ms = 1000;
const char* name = "escarp";

std::shared_ptr<spdlog::logger> log() { return spdlog::get(name); }

/// One line, whatever is in it.
std::string line(QString text) { return text.replace('\n', ' ').left(2000).toStdString(); }

}  // namespace

SessionLog::SessionLog(OpenCell& open, const Results& results, QObject* parent, const QString& folder)
    : QObject(parent), open_(open), results_(results) {
    const std::string room = folder.isEmpty() ? cell::SafeFile::usual_room() : folder.toStdString();
    try {
        spdlog::drop(name);
        auto made = spdlog::rotating_logger_st(name, room + "/escarp.log", most_bytes, 1);
        made->set_pattern("%Y-%m-%dT%H:%M:%S%z %l %v");
        made->flush_on(spdlog::level::info);
        made->info("escarp {} begins", QCoreApplication::applicationVersion().toStdString());
    } catch (const spdlog::spdlog_ex&) {  // a full disk or a folder that is not ours: the work goes on without
        return;
    }
    connect(&open_, &OpenCell::document_changed, this, &SessionLog::changed);
    connect(&results_, &Results::evaluated, this, &SessionLog::computed);
    connect(&open_, &OpenCell::refused, this, [](const QString& title, const QString& text) {
        if (log()) log()->warn("refused: {}: {}", line(title), line(text));
    });
    changed();
}

SessionLog::~SessionLog() {
    if (log()) log()->info("ends");
    spdlog::drop(name);
}

void SessionLog::changed() {
    if (!log() || open_.trying()) return;
    if (open_.file() != file_) {
        file_ = open_.file();
        log()->info("cell {}: {} devices, {} variants", line(file_.isEmpty() ? QString("without a file") : file_),
            open_.cell()->devices.size(), open_.document().variants().size());
        edit_ = open_.history().undo_name();
    }
    if (open_.history().undo_name() == edit_) return;
    edit_ = open_.history().undo_name();
    if (!edit_.isEmpty()) log()->info("edit: {}", line(edit_));
}

void SessionLog::computed() {
    if (!log() || results_.took_ms() < long_ms || results_.shown() == slowest_) return;
    slowest_ = results_.shown();
    log()->info("slow: {:.1f} s for the figures of variant {}", results_.took_ms() * 1e-3, line(open_.variant()));
}

}  // namespace escarp::desktop
