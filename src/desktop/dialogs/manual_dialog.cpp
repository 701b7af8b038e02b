#include "manual_dialog.h"

#include <QFile>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QListWidget>

#include <cell/model/tables.h>
#include <desktop/fields/typed_number.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>

namespace escarp::desktop {
namespace {

/// As text within Markdown, letter for letter.
QString literal(const QString& text) {
    QString out;
    for (const QChar c : text) {
        if (QStringLiteral("\\`*_{}[]<>()#+-.!|~").contains(c)) out += '\\';
        out += c;
    }
    return out;
}

QString field_line(const cell::Field& f) {
    QString line = "- **" + literal(QString::fromStdString(f.label)) + "** `" + QString::fromStdString(f.key) + "`";
    if (f.type == cell::Field::Type::number || f.type == cell::Field::Type::whole)
        line += QObject::tr(": %1 to %2 %3")
                    .arg(shown_number(f.low), shown_number(f.high), QString::fromStdString(cell::unit_sign(f.key)));
    if (!f.words.empty()) {
        QStringList words;
        for (const std::string& w : f.words) words << QString::fromStdString(w);
        line += ": " + words.join(", ");
    }
    if (!f.help.empty()) line += ". " + literal(QString::fromStdString(f.help));
    return line + "\n";
}

}  // namespace

ManualDialog::ManualDialog(const QList<QAction*>& actions, QWidget* parent)
    : QDialog(parent), line_(new QLineEdit), list_(new QListWidget), page_(new QTextBrowser) {
    setObjectName("manual");
    setWindowTitle(tr("Manual"));
    resize(820, 560);
    QFile file(":/escarp/manual.md");
    const QString text = file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
    for (const QString& part : text.split("\n## ").mid(1)) {
        const qsizetype end = part.indexOf('\n');
        sections_.push_back({part.left(end), part.mid(end + 1)});
    }
    sections_.push_back({tr("Keys"), keys(actions)});
    sections_.push_back({tr("Fields"), fields()});
    line_->setObjectName("manual_search");
    line_->setPlaceholderText(tr("Search the manual"));
    line_->setAccessibleName(line_->placeholderText());
    line_->setClearButtonEnabled(true);
    list_->setObjectName("manual_sections");
    list_->setAccessibleName(tr("Sections"));
    page_->setObjectName("manual_page");
    page_->setOpenLinks(false);
    auto* left = new QVBoxLayout;
    left->addWidget(line_);
    left->addWidget(list_);
    auto* row = new QHBoxLayout(this);
    row->addLayout(left, 1);
    row->addWidget(page_, 3);
    connect(line_, &QLineEdit::textChanged, this, &ManualDialog::narrow);
    connect(list_, &QListWidget::currentRowChanged, this, &ManualDialog::show_chosen);
    narrow();
}

void ManualDialog::narrow() {
    list_->clear();
    const QStringList words = line_->text().split(' ', Qt::SkipEmptyParts);
    for (const int i : indices(sections_)) {
        const QString all = sections_[i].title + " " + sections_[i].text;
        if (!std::all_of(
                words.begin(), words.end(), [&](const QString& w) { return all.contains(w, Qt::CaseInsensitive); }))
            continue;
        auto* item = new QListWidgetItem(sections_[i].title, list_);
        item->setData(Qt::UserRole, i);
    }
    if (list_->count() > 0) list_->setCurrentRow(0);
    else page_->setPlainText(tr("Nothing in the manual has these words."));
}

void ManualDialog::show_chosen() {
    const QListWidgetItem* item = list_->currentItem();
    if (!item) return;
    const Section& section = sections_[item->data(Qt::UserRole).toInt()];
    page_->setMarkdown("## " + section.title + "\n" + section.text);
    const QStringList words = line_->text().split(' ', Qt::SkipEmptyParts);
    if (!words.isEmpty()) page_->find(words.front());  // the first place is marked
}

void ManualDialog::show_section(const QString& title) {
    line_->clear();
    for (int i = 0; i < list_->count(); ++i)
        if (list_->item(i)->text() == title) list_->setCurrentRow(i);
}

QString ManualDialog::section_of(const QWidget* widget) {
    static const std::pair<const char*, const char*> sections[] = {{"verdict", "The strip at the top"},
        {"add_step", "Saying a task"}, {"floor", "Floor"}, {"placement_tag", "Floor"}, {"model", "Model"},
        {"ribbon", "Cycle ribbon"}, {"variant_tabs", "Variants"}, {"first_steps", "A first cell"}};
    for (; widget; widget = widget->parentWidget()) {
        if (const QVariant section = widget->property(manual_section); section.isValid()) return section.toString();
        const QString name = widget->objectName();
        if (name.startsWith("step_")) return QStringLiteral("Saying a task");
        for (const auto& [object, section] : sections)
            if (name == object) return section;
    }
    return QStringLiteral("A first cell");
}

QString ManualDialog::keys(const QList<QAction*>& actions) {
    QString out;
    for (const QAction* a : actions) {
        if (a->shortcut().isEmpty()) continue;
        QString name = a->text();
        name.remove('&');
        out += "- `" + a->shortcut().toString(QKeySequence::NativeText) + "` " + literal(name) + "\n";
    }
    return out;
}

QString ManualDialog::fields() {
    QString out = tr("What fits in each field, and how the file calls it.\n\n");
    const auto table = [&](const QString& title, const cell::Fields& fields) {
        out += "### " + title + "\n";
        for (const cell::Field& f : fields)
            if (!f.old) out += field_line(f);
        out += "\n";
    };
    table(tr("The cell"), cell::cell_fields());
    table(tr("Part types"), cell::part_type_fields());
    table(tr("Tools"), cell::tool_model_fields());
    for (const auto& kind : simulation::standard_kinds().all())
        table(QString::fromStdString(kind->label()), kind->fields());
    for (const auto& kind : simulation::standard_kinds().steps())
        table(tr("Step: %1").arg(QString::fromStdString(kind->label())), kind->fields());
    return out;
}

}  // namespace escarp::desktop
