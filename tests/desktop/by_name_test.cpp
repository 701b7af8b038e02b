// Nothing can be done in one place only: edits, questions and exporters of the command line are actions of the window,
// and say the same.

#include <QFileDialog>
#include <QMenuBar>
#include <QPlainTextEdit>
#include <QProcess>
#include <fstream>
#include <set>

#include <desktop/dialogs/answer_dialog.h>
#include <desktop/dialogs/table_dialog.h>
#include <exchange/question.h>
#include <study/named_edits.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

QString cli(const QStringList& arguments) {
    QProcess process;
    process.start(ESCARP_CLI, arguments);
    REQUIRE(process.waitForFinished(-1));
    return QString::fromUtf8(process.readAllStandardOutput());
}

void collect(const QList<QAction*>& actions, std::set<QString>& into) {
    for (const QAction* a : actions) {
        into.insert(a->objectName());
        if (a->menu()) collect(a->menu()->actions(), into);
    }
}

struct Asking : Bench {
    /// Triggers an action; the dialogs that come up one after the other are given to these hands in turn.
    void trigger(const QString& name, std::vector<std::function<void(QDialog*)>> hands) {
        hands_ = std::move(hands), next_ = 0;
        look();
        auto* action = window.findChild<QAction*>(name);
        REQUIRE(action);
        action->trigger();
        CHECK(next_ == hands_.size());
    }

private:
    /// Each look has a timer of its own: a dialog may come up while a hand is still at work.
    void look() {
        if (next_ >= hands_.size()) return;
        QTimer::singleShot(2, &window, [this] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            if (!dialog || dialog->objectName() == "load_progress" || next_ >= hands_.size()) return look();
            const auto hand = hands_[next_++];
            look();
            hand(dialog);
        });
    }
    std::vector<std::function<void(QDialog*)>> hands_;
    std::size_t next_ = 0;
};

}  // namespace

TEST_CASE("the menus, the list of actions and the command line offer the same questions, exporters and edits") {
    Bench b;
    std::set<QString> in_menus, in_list, of_cli, edits_of_cli;
    collect(b.window.menuBar()->actions(), in_menus);
    for (const QAction* a : b.window.actions()) in_list.insert(a->objectName());
    for (const QString& line : cli({"help"}).split('\n'))
        if (line.startsWith("  ") && !line.trimmed().isEmpty()) of_cli.insert(line.trimmed().section(' ', 0, 0));
    const QString edits = cli({"help", "edits"});
    std::set<QString> expected;
    for (const exchange::Question& q : exchange::questions()) {
        const QString name = QString::fromStdString(q.name);
        INFO(q.name);
        CHECK(of_cli.count(name));
        expected.insert("ask_" + name);
    }
    for (const exchange::Exporter& e : exchange::exporters()) {
        const QString name = QString::fromStdString(e.name);
        INFO(e.name);
        CHECK(of_cli.count(name));
        expected.insert("export_" + name);
    }
    for (const cell::NamedEdit& e : study::named_edits()) {
        const QString name = QString::fromStdString(e.name);
        INFO(e.name);
        CHECK(edits.contains("\n  " + name));
        expected.insert("edit_" + QString(name).replace(' ', '_'));
    }
    CHECK(expected.size() > 60);
    const auto of_these = [](const std::set<QString>& all) {
        std::set<QString> some;
        for (const QString& name : all)
            if (name.startsWith("ask_") || name.startsWith("export_") || name.startsWith("edit_")) some.insert(name);
        return some;
    };
    CHECK(of_these(in_menus) == expected);
    CHECK(of_these(in_list) == expected);
}

TEST_CASE("a question is put in the window, answered as on the command line, and its answer written as text or JSON") {
    Asking b;
    const QString file = b.w().open.file();
    b.w().selection.select("arm2");
    b.w().playhead.set_time(1.25);
    QString shown, text_file = b.room.filePath("why.txt"), json_file = b.room.filePath("why.json");
    const auto save_as = [](const QString& to) {
        return [to](QDialog* d) {
            auto* dialog = qobject_cast<QFileDialog*>(d);
            REQUIRE(dialog);
            dialog->selectFile(to);
            QMetaObject::invokeMethod(dialog, "accept");
        };
    };
    const auto export_it = [](QDialog* d) { d->findChild<QPushButton*>("answer_export")->click(); };
    b.trigger("ask_why", {[](QDialog* d) {
                              CHECK(d->findChild<QLineEdit*>("ask_at")->text() == "1.25");  // the instant looked at
                              d->findChild<QLineEdit*>("ask_at")->setText("2 + 1");
                              d->accept();
                          },
                             [&](QDialog* d) {
                                 REQUIRE(qobject_cast<AnswerDialog*>(d));
                                 shown = d->findChild<QPlainTextEdit*>("answer_text")->toPlainText();
                                 export_it(d);
                             },
                             save_as(text_file), export_it, save_as(json_file), [](QDialog* d) { d->reject(); }});
    CHECK(shown == cli({"why", file, "--device", "arm2", "--at", "3"}).trimmed());
    const auto read = [](const QString& name) {
        QFile in(name);
        REQUIRE(in.open(QIODevice::ReadOnly));
        return in.readAll();
    };
    CHECK(QString::fromUtf8(read(text_file)).trimmed() == shown);
    CHECK(cell::json::parse(read(json_file).toStdString()) ==
          cell::json::parse(cli({"why", file, "--device", "arm2", "--at", "3", "--json"}).toStdString()));
    CHECK(b.told.isEmpty());
}

TEST_CASE("what does not fit a question is told with its place; an edit that an answer proposes is made") {
    Asking b;
    b.w().selection.select("arm2");
    b.trigger("ask_why", {[](QDialog* d) {
        d->findChild<QLineEdit*>("ask_at")->setText("soon");
        d->accept();
    }});
    REQUIRE(b.told.size() == 1);
    CHECK(b.told.last().contains("at"));
    b.trigger("edit_set", {[](QDialog* d) {
        CHECK(d->findChild<QLineEdit*>("edit_at")->text().isEmpty());  // a path, no instant
        d->reject();
    }});
    const auto before = b.w().open.history().depth();
    b.trigger("ask_exclude", {[](QDialog* d) {
                                  for (auto* box : d->findChildren<QComboBox*>())
                                      if (box->objectName() == "ask_device")
                                          box->setCurrentIndex(box->findData(QString("arm1")));
                                      else if (box->objectName() == "ask_other")
                                          box->setCurrentIndex(box->findData(QString("cabinet")));
                                  d->accept();
                              },
                                 [](QDialog* d) { d->findChild<QPushButton*>("answer_take")->click(); }});
    CHECK(b.w().open.history().depth() == before + 1);
    CHECK(b.w().open.document().tree()["excluded_pairs"].size() == 1);
}
