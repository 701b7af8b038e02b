#include "kept_file.h"

#include <QFileInfo>
#include <QStringList>

#include <cell/text/disk.h>
#include <simulation/kinds.h>

namespace escarp::desktop {
namespace {

std::unique_ptr<cell::SafeFile> safe_file() { return std::make_unique<cell::SafeFile>(cell::SafeFile::usual_room()); }

/// Its baseline. Throws InputError where that makes no sense.
cell::Layout checked(const cell::Document& document) {
    cell::Layout layout = simulation::layout(document, document.baseline());
    layout.cell();
    return layout;
}

}  // namespace

QString told(const cell::InputError& e) {
    constexpr int most = 8;
    QStringList lines;
    for (const cell::Problem& p : e.problems())
        lines << QString::fromStdString(p.where) + ": " + QString::fromStdString(p.message);
    if (lines.size() > most) lines = lines.mid(0, most) << QObject::tr("and %1 more").arg(lines.size() - most);
    return lines.join('\n');
}

KeptFile::KeptFile(QObject* parent) : QObject(parent), safe_(safe_file()) {
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] {
        if (safe_->changed_outside()) Q_EMIT changed_by_others();
        if (!file_.isEmpty() && !watcher_.files().contains(file_)) watcher_.addPath(file_);  // swapped for a new one
    });
}

void KeptFile::watch(const QString& file) {
    if (!watcher_.files().isEmpty()) watcher_.removePaths(watcher_.files());
    file_ = file;
    if (!file.isEmpty()) watcher_.addPath(file);
}

void KeptFile::begin(const cell::Document& document) {
    saved_ = document;
    watch({});
    safe_->begin_unsaved(document);
    left_over_.reset();
    copy_ = false;
    unsafe_.clear();
}

std::optional<cell::Layout> KeptFile::open(const QString& file) {
    auto safe = safe_file();
    bool copy = false;
    QString unsafe;
    lost_.reset();
    try {
        if (QFileInfo::exists(file)) cell::check_regular(file.toStdString());
        copy = !safe->hold(file.toStdString());
    } catch (const cell::InputError& e) {
        unsafe = told(e);
    }
    try {
        const cell::Layout opened = checked(cell::Document::load(file.toStdString()));
        begin(opened.document());
        copy_ = copy;
        if (copy) return opened;
        if (unsafe.isEmpty()) safe_ = std::move(safe);
        take_care(opened.document(), unsafe);
        watch(file);
        return opened;
    } catch (const cell::InputError& e) {
        if (!copy && unsafe.isEmpty()) lost_ = safe->left_of_lost();
        if (lost_) lost_why_ = told(e);
        else Q_EMIT refused(tr("%1 cannot be opened").arg(file), told(e));
        return std::nullopt;
    }
}

/// Begins the journal of a file that was just opened, unless an interrupted session left edits there.
void KeptFile::take_care(const cell::Document& opened, const QString& unsafe) {
    unsafe_ = unsafe;
    if (!unsafe.isEmpty()) return;
    try_to([&] {
        if (left_over_ = safe_->left_over(opened); !left_over_) safe_->begin(opened, true);
    });
}

std::optional<cell::Document> KeptFile::read_again() {
    try {
        safe_->read_again();
        const cell::Document opened = cell::Document::load(file_.toStdString());
        checked(opened);
        saved_ = opened;
        try_to([&] {
            if (!left_over_) safe_->begin(opened, true);  // what nobody has decided about stays in the journal
            unsafe_.clear();
        });
        return opened;
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("%1 cannot be read again").arg(file_), told(e));
        return std::nullopt;
    }
}

std::optional<cell::Document> KeptFile::take_lost(const QString& file) {
    if (!lost_) return std::nullopt;
    const cell::Recovered found = *std::exchange(lost_, std::nullopt);
    auto safe = safe_file();
    try {
        checked(found.document);
        if (!safe->hold(file.toStdString())) {
            Q_EMIT refused(tr("%1 cannot be opened").arg(file), tr("Another window has opened it meanwhile."));
            return std::nullopt;
        }
        begin(cell::Document());  // the file does not hold what is taken
        safe_ = std::move(safe);
        safe_->begin(found.document, false);
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("%1 cannot be opened").arg(file), told(e));
        return std::nullopt;
    }
    file_ = file;
    return found.document;
}

bool KeptFile::save_as(const QString& file, const cell::Document& document, cell::MayReplace may) {
    try {
        if (file.toStdString() == safe_->file()) {
            safe_->save(document, may);
        } else {
            auto next = safe_file();
            if (!next->hold(file.toStdString())) {
                Q_EMIT refused(tr("The file was not saved"),
                    tr("%1 is open in another window. Save under another name, or close it there first.").arg(file));
                return false;
            }
            next->save(document, may);
            safe_->forget();
            safe_ = std::move(next);
        }
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("The file was not saved"), told(e));
        return false;
    }
    saved_ = document;
    copy_ = false;
    unsafe_.clear();
    watch(file);
    return true;
}

std::optional<cell::Document> KeptFile::take_left_over() {
    if (!left_over_) return std::nullopt;
    const cell::Document found = std::exchange(left_over_, std::nullopt)->document;
    safe_->begin(found, false);
    return found;
}

std::optional<cell::Document> KeptFile::drop_left_over(const cell::Document& now) {
    if (!left_over_) return std::nullopt;
    const cell::Document dropped = std::exchange(left_over_, std::nullopt)->document;
    keep_dropped(dropped);
    safe_->begin(now, true);
    return dropped;
}

void KeptFile::keep_dropped(const cell::Document& dropped) const {
    cell::SafeFile::keep_dropped(cell::SafeFile::usual_room(), dropped);
}

void KeptFile::write_down(const cell::Document& now, const QString& name) {
    try_to([&] {
        if (!left_over_) safe_->acknowledge(now, name.toStdString());
        unsafe_.clear();
    });
}

void KeptFile::write_down_draft(const QString& variant, const cell::Edit& edit) {
    try_to([&] {
        if (!left_over_) safe_->draft(variant.toStdString(), edit);
    });
}

void KeptFile::end_draft() {
    try_to([&] { safe_->end_draft(); });
}

}  // namespace escarp::desktop
