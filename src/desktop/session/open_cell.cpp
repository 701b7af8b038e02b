#include "open_cell.h"

#include <QFile>
#include <QFileInfo>

namespace escarp::desktop {

OpenCell::OpenCell(Results& results, QObject* parent)
    : QObject(parent), results_(results), layout_(simulation::layout({}, document_.baseline())), drawn_(layout_) {
    connect(&file_, &KeptFile::changed_by_others, this, &OpenCell::file_changed_outside);
    connect(&file_, &KeptFile::refused, this, &OpenCell::refused);
    connect(&surfaces_, &Surfaces::missing, this,
        [this](const QString& words) { Q_EMIT refused(tr("A linked file is missing"), words); });
    connect(&results_, &Results::forced_changed, this, [this] { renew(drawn_); });
    start_new();
}

std::optional<cell::Layout> OpenCell::sense(const cell::Document& document, QString& why) const {
    const std::string variant = variant_.toStdString();
    cell::Layout layout = simulation::layout(document, document.has_variant(variant) ? variant : document.baseline());
    try {
        layout.cell();
        return layout;
    } catch (const cell::InputError& e) {
        why = told(e);
        return std::nullopt;
    }
}

void OpenCell::start_new() {
    const cell::Document fresh;
    file_.begin(fresh);
    begin(fresh);
}

/// Another document: of the one before nothing is left.
void OpenCell::begin(const cell::Document& document, std::optional<cell::Layout> known) {
    document_ = document;
    variant_ = QString::fromStdString(document_.baseline());
    history_.clear(), results_.forget();
    draft_.reset();
    Q_EMIT begins();
    renew(std::move(known));
    Q_EMIT begun();
}

bool OpenCell::open(const QString& file) {
    if (!file_.name().isEmpty() && QFileInfo(file) == QFileInfo(file_.name())) return read_again();
    const std::optional<cell::Layout> opened = file_.open(file);
    if (opened) begin(opened->document(), *opened);
    return opened.has_value();
}

/// The file that is open, as it is on the disk now: a step that can be undone, so that no edit is lost by it.
bool OpenCell::read_again() {
    const bool was_modified = modified();
    const std::optional<cell::Document> opened = file_.read_again();
    if (!opened) return false;
    if (was_modified) file_.keep_dropped(document_);
    if (!(*opened == document_)) history_.remember({document_, variant_}, *opened, tr("reading the file again"));
    surfaces_.forget();  // linked geometry may be another by now, or gone
    set_document(*opened);
    return true;
}

void OpenCell::take_lost(const QString& file) {
    if (const auto found = file_.take_lost(file)) begin(*found);
}

bool OpenCell::save_as(const QString& file, cell::MayReplace may) {
    if (!file_.save_as(file, document_, may)) return false;
    Q_EMIT document_changed();
    return true;
}

void OpenCell::take_left_over() {
    const auto found = file_.take_left_over();
    if (!found) return;
    history_.remember({document_, variant_}, *found, tr("recovered edits"));
    set_document(*found);
}

void OpenCell::drop_left_over() {
    const auto dropped = file_.drop_left_over(document_);
    if (!dropped) return;
    history_.remember({*dropped, variant_}, document_, tr("dropping the kept edits"));
    Q_EMIT document_changed();
}

void OpenCell::take_unsaved(const cell::Recovered& found) {
    start_new();
    file_.write_down(found.document, "recovered");
    set_document(found.document);
    QFile::remove(QString::fromStdString(found.journal));
}

void OpenCell::find_altered() {
    altered_.clear();
    const cell::Document& d = shown_document();
    const std::string id = variant_.toStdString();
    if (!d.has_variant(id) || id == d.baseline()) return;
    for (const cell::Operation& op : d.differences(id)) {
        const std::string at = op.kind == cell::Operation::Kind::add && op.value.is_object()
                                   ? op.at + "/" + op.value.value("id", "")
                                   : op.at;
        const cell::json* before = cell::find(d.tree(), at);
        altered_[at] = before ? *before : cell::json();
    }
}

void OpenCell::renew(std::optional<cell::Layout> known) {
    find_altered();
    surfaces_.follow(shown_document().tree(), QFileInfo(file()).absolutePath());
    drawn_ = known ? std::move(*known) : simulation::layout(shown_document(), variant_.toStdString());
    if (!trying()) layout_ = drawn_;
    try {
        cell_ = drawn_.shared_cell();
    } catch (const cell::InputError&) {
        // A variant can fall behind an edit of the baseline: the last good cell stays in view, the error is shown.
        if (!cell_) cell_ = std::make_shared<const cell::Cell>();
    }
    std::vector<cell::Layout> layouts{drawn_};
    QStringList all{variant_};
    for (const cell::VariantInfo& v : shown_document().variants()) {
        const QString id = QString::fromStdString(v.id);
        if (id == variant_) continue;
        all << id;
        if (!trying()) layouts.push_back(simulation::layout(document_, v.id));  // while dragging only what is looked at
    }
    results_.ask(std::move(layouts), all, trying() && !preview_);
    Q_EMIT document_changed();
    results_.tell();
    Q_EMIT renewed();
}

void OpenCell::set_document(const cell::Document& document, std::optional<cell::Layout> known) {
    document_ = document;
    draft_.reset();
    if (!document_.has_variant(variant_.toStdString())) {
        variant_ = QString::fromStdString(document_.baseline());
        known.reset();
    }
    renew(std::move(known));
}

bool OpenCell::apply(const cell::Edit& edit) {
    try {
        return replace(document_.edited(variant_.toStdString(), edit), QString::fromStdString(edit.name));
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("This change is not possible"), told(e));
        return false;
    }
}

bool OpenCell::replace(const cell::Document& next, const QString& name) {
    QString why;
    std::optional<cell::Layout> sensed = sense(next, why);
    if (!sensed) {
        Q_EMIT refused(tr("This change is not possible"), why);
        drop_draft();
        return false;
    }
    if (next == document_) {
        drop_draft();
        return true;
    }
    history_.remember({document_, variant_}, next, name);
    document_ = next;
    file_.write_down(document_, name);
    set_document(next, std::move(sensed));
    return true;
}

void OpenCell::go_back(int edits) {
    UndoHistory::State now{document_, variant_};
    const std::optional<QString> last = history_.go_back(edits, now);
    if (!last) return;
    document_ = std::move(now.document), variant_ = now.variant;
    file_.write_down(document_, edits < 0 ? tr("Redo %1").arg(*last) : tr("Undo %1").arg(*last));
    set_document(cell::Document(document_));
}

bool OpenCell::try_edit(const cell::Edit& edit, bool preview, bool quiet) {
    QString why;
    try {
        cell::Document next = document_.edited(variant_.toStdString(), edit);
        if (std::optional<cell::Layout> layout = sense(next, why)) {
            draft_ = std::move(next);
            draft_edit_ = edit;
            preview_ = preview;
            if (!preview) file_.write_down_draft(variant_, edit);
            renew(std::move(layout));
            return true;
        }
    } catch (const cell::InputError& e) {
        why = told(e);
    }
    if (!quiet) Q_EMIT refused(tr("This change is not possible"), why);
    return false;
}

void OpenCell::take_draft() {
    if (!trying()) return;
    const cell::Document next = *draft_;
    replace(next, draft_name());
}

void OpenCell::drop_draft() {
    if (!trying()) return;
    draft_.reset();
    file_.end_draft();
    renew(layout_);
}

void OpenCell::set_variant(const QString& id) {
    if (id == variant_ || !document_.has_variant(id.toStdString())) return;
    if (trying()) file_.end_draft();
    draft_.reset();
    variant_ = id;
    renew();
}

QString OpenCell::variant_name(const QString& id) const {
    for (const cell::VariantInfo& v : document_.variants())
        if (QString::fromStdString(v.id) == id) return QString::fromStdString(v.name);
    return {};
}

}  // namespace escarp::desktop
