// The window given texts, files and sizes that nobody would wish for.
#include <QAbstractItemView>
#include <QPainter>
#include <QProgressDialog>
#include <QTableWidget>
#include <QTreeWidget>

#include <desktop/app/application.h>
#include <desktop/dialogs/import_geometry.h>
#include <desktop/floor/floor_picture.h>
#include <desktop/panels/variant_tabs.h>
#include <desktop/session/background.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::desktop;
using escarp::tests::Bench;

namespace {

const std::string markup = "<img src=\"nowhere.png\"><b>&amp;T";

/// Markup put into every text of a tree that is for people; names stay different from each other.
void put_markup(cell::json& at, int& count) {
    static const std::set<std::string> texts{"name", "label", "group", "reason", "starts_with"};
    if (at.is_object())
        for (auto& [key, value] : at.items()) {
            if (texts.count(key) && value.is_string()) value = markup + std::to_string(++count);
            else if (key != "joints" && key != "follows") put_markup(value, count);  // joints are named by each other
        }
    else if (at.is_array())
        for (cell::json& v : at) put_markup(v, count);
}

bool as_markup(const QString& text) { return Qt::mightBeRichText(text) && text.contains("<img"); }

/// Whatever in the window would take a text of the document as markup.
QStringList taken_as_markup(QWidget* root, int& seen) {
    QStringList out;
    for (QWidget* w : root->findChildren<QWidget*>()) {
        if (auto* label = qobject_cast<QLabel*>(w)) {
            seen += label->text().contains("nowhere");
            if (label->textFormat() != Qt::PlainText && as_markup(label->text()))
                out << "label " + label->objectName() + ": " + label->text();
        }
        seen += w->toolTip().contains("nowhere");
        if (as_markup(w->toolTip())) out << "tool tip of " + w->objectName() + ": " + w->toolTip();
        if (auto* view = qobject_cast<QAbstractItemView*>(w); view && view->model())
            for (int row = 0; row < view->model()->rowCount(); ++row)
                for (int column = 0; column < view->model()->columnCount(); ++column) {
                    const QString tip = view->model()->index(row, column).data(Qt::ToolTipRole).toString();
                    seen += tip.contains("nowhere");
                    if (as_markup(tip)) out << "tool tip in " + view->objectName() + ": " + tip;
                }
    }
    return out;
}

}  // namespace

TEST_CASE("no text of a document is taken as markup, wherever it is shown") {
    Bench b(false);
    for (const char* source : {ESCARP_DEMO, ESCARP_CASES "/everything.escarp"}) {
        cell::json tree = cell::Document::load(source).tree();
        int count = 0;
        put_markup(tree, count);
        REQUIRE(count > 40);
        const QString file = b.room.filePath("markup.escarp");
        cell::Document::parse(tree.dump()).save(file.toStdString());
        REQUIRE(b.window.open_file(file));
        b.settle();
        int seen = 0;
        QStringList wrong;
        for (const cell::Device& d : b.w().open.cell()->devices) {
            b.w().selection.select(QString::fromStdString(d.id));
            for (const char* page : {"findings", "arm_by_hand", "motion_plot", "device_list", "catalogue"}) {
                b.action(page)->trigger();
                if (d.arm || page == std::string("findings")) b.settle(), wrong += taken_as_markup(&b.window, seen);
            }
            for (const cell::Step* s : cell::all_steps(d)) {
                b.w().selection.select(QString::fromStdString(d.id), QString::fromStdString(s->id));
                QTest::qWait(0);
                wrong += taken_as_markup(&b.window, seen);
            }
        }
        for (const char* page : {"compare", "build", VariantTabs::cell_page}) {
            b.window.tabs()->show_page(page);
            b.settle_all();
            wrong += taken_as_markup(&b.window, seen);
        }
        const auto looked_at = b.w().results.shown();  // others come meanwhile
        for (const inspection::Finding& f : looked_at->inspection->findings)
            if (!f.ways_out.empty())
                b.w().open.try_out(f.ways_out.front().edit, true), b.settle(),
                    wrong += taken_as_markup(&b.window, seen), b.w().open.drop_draft();
        wrong.removeDuplicates();
        INFO(wrong.join("\n").toStdString());
        CHECK(wrong.isEmpty());
        CHECK(seen > 30);
        CHECK(b.window.windowTitle().contains("<img"));
        QFile::remove(file);
    }
}

TEST_CASE("a drawing under the Floor shows nothing that it refers to, only what it holds") {
    QTemporaryDir room;
    QImage red(40, 40, QImage::Format_RGB32);
    red.fill(Qt::red);
    REQUIRE(red.save(room.filePath("red.png")));
    const auto reds = [&](const QString& inside) {
        QFile svg(room.filePath("plan.svg"));
        REQUIRE(svg.open(QIODevice::WriteOnly));
        svg.write(
            ("<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' width='200' "
             "height='200'><rect width='200' height='200' fill='#00ff00'/>" +
                inside + "</svg>")
                .toUtf8());
        svg.close();
        QString why;
        const cell::json under = FloorPicture::from_file(room.filePath("plan.svg"), &why);
        REQUIRE(!under.is_null());
        FloorPicture picture;
        picture.follow({{"underlay", under}});
        REQUIRE(picture.there());
        QImage seen(300, 300, QImage::Format_RGB32);
        seen.fill(Qt::white);
        QPainter p(&seen);
        PlanView view;
        view.scale = 60;
        view.middle = QPointF(0, 300);
        picture.draw(p, view);
        p.end();
        int red_pixels = 0, green_pixels = 0;
        for (int y = 0; y < 300; ++y)
            for (int x = 0; x < 300; ++x) {
                const QColor c = seen.pixelColor(x, y);
                red_pixels += c.red() > c.green() + 60 && c.red() > c.blue() + 60,
                    green_pixels += c.green() > c.red() + 60;
            }
        CHECK(green_pixels > 1000);
        return red_pixels;
    };
    const QString at = room.filePath("red.png");
    CHECK(reds("<rect width='100' height='100' fill='#ff0000'/>") > 1000);
    CHECK(reds(QString("<image width='200' height='100' xlink:href='%1'/>").arg(at)) == 0);
    CHECK(reds(QString("<image width='200' height='100' href='file://%1'/>").arg(at)) == 0);
    QFile raw(at);
    REQUIRE(raw.open(QIODevice::ReadOnly));
    CHECK(reds(QString("<image width='200' height='100' xlink:href='data:image/png;base64,%1'/>")
                   .arg(QString::fromLatin1(raw.readAll().toBase64()))) > 1000);
}

TEST_CASE("many variants with long names scroll; the window stays as narrow as it was") {
    Bench b;
    const int before = b.window.minimumSizeHint().width();
    REQUIRE(b.window.open_file(QString(ESCARP_CASES "/var12.escarp")));
    b.settle();
    CHECK(b.window.minimumSizeHint().width() <= before);
    CHECK(b.window.width() == 1280);
    cell::Document d = b.w().open.document();
    for (int i = 0; i < 8; ++i) d = d.with_variant(d.free_variant_id(), std::string(200, 'w'), d.baseline());
    REQUIRE(b.w().open.replace(d, "variants"));
    b.settle();
    CHECK(b.window.minimumSizeHint().width() <= before);
    const auto variants = b.w().open.document().variants();
    CHECK(variants.size() == 20);
    // Each can be reached: the chosen one is scrolled into view, and the arrows are there.
    for (const std::size_t i : {variants.size() - 1, std::size_t{0}, std::size_t{9}}) {
        b.w().open.set_variant(QString::fromStdString(variants[i].id));
        b.settle();
        QTest::qWait(20);
        auto* tab = b.child<QToolButton>("variant_" + QString::fromStdString(variants[i].id));
        auto* row = b.child<QWidget>("variant_row");
        const QRect inside(tab->mapTo(row, QPoint(0, 0)), tab->size());
        CHECK(row->rect().contains(inside.center()));
    }
    CHECK(b.child<QToolButton>("scroll_back")->isVisible());
    CHECK(b.child<QToolButton>("add_variant")->mapTo(&b.window, QPoint(0, 0)).x() < 1280);
    CHECK(b.child<QToolButton>("variant_" + QString::fromStdString(variants.back().id))
              ->toolTip()
              .contains(std::string(200, 'w').c_str()));
}

TEST_CASE("in a small window panels fold; they come back with room, or when they are asked for") {
    Bench b;
    const auto shown = [&] {
        return std::array{b.window.findChild<QWidget*>("findings")->isVisible(), b.window.model()->isVisible(),
            b.window.findChild<QWidget*>("worksheet")->isVisible(), b.window.floor()->isVisible(),
            b.window.ribbon()->isVisible()};
    };
    REQUIRE(shown() == std::array{true, true, true, true, true});
    for (const QSize size : {QSize(820, 600), QSize(600, 420), QSize(400, 300), QSize(1280, 800)}) {
        b.window.resize(size);
        QTest::qWait(20);
        b.settle();
        INFO(size.width() << " x " << size.height());
        CHECK(b.window.size() == size);
        CHECK(b.window.floor()->isVisible());
        // No panel lies over another one.
        std::vector<QRect> places;
        for (QWidget* w : std::initializer_list<QWidget*>{b.window.findChild<QWidget*>("findings"), b.window.model(),
                 b.window.findChild<QWidget*>("worksheet"), b.window.floor(), b.window.ribbon(), b.window.verdict(),
                 b.window.tabs()})
            if (w->isVisible()) places.push_back(QRect(w->mapTo(&b.window, QPoint(0, 0)), w->size()));
        for (std::size_t i = 0; i < places.size(); ++i)
            for (std::size_t j = i + 1; j < places.size(); ++j) CHECK(!places[i].intersects(places[j]));
        for (const QRect& p : places) CHECK(b.window.rect().contains(p));
    }
    CHECK(shown() == std::array{true, true, true, true, true});
    b.window.resize(600, 700);
    QTest::qWait(20);
    CHECK(!b.window.findChild<QWidget*>("findings")->isVisible());
    b.action("findings")->trigger();
    QTest::qWait(20);
    CHECK(b.window.findChild<QWidget*>("findings")->isVisible());
    CHECK(b.window.floor()->isVisible());
}

TEST_CASE(
    "a cell that is gone or cut off is offered from its journal; a drag that a kill ended comes back as it was last "
    "shown") {
    Bench b;
    const QString file = b.w().open.file(), journal = b.room.filePath(".leak-test.escarp.edits");
    const cell::Edit drag{"Move Tester", {cell::Operation::set("/devices/tester/placement/x_mm", 1234.0)}};
    REQUIRE(b.w().open.try_out(drag));
    const cell::Document shown = b.w().open.shown_document();
    // As after a kill in the midst of it: the journal as it is now, held by nobody.
    for (const char* name : {"killed", "gone", "cut"})
        REQUIRE(QFile::copy(journal, b.room.filePath(QString(".%1.escarp.edits").arg(name))));
    REQUIRE(QFile::copy(file, b.room.filePath("killed.escarp")));
    b.w().open.drop_draft();
    b.answers << 0;
    REQUIRE(b.window.open_file(b.room.filePath("killed.escarp")));
    CHECK(b.told.last().contains("Unsaved edits"));
    CHECK(b.w().open.document() == shown);
    REQUIRE(b.w().open.save_as(b.w().open.file()));
    QFile cut(b.room.filePath("cut.escarp"));
    REQUIRE(cut.open(QIODevice::WriteOnly));
    cut.write(QByteArray::fromStdString(shown.text()).left(500));
    cut.close();
    for (const char* name : {"gone", "cut"}) {
        const QString lost = b.room.filePath(QString(name) + ".escarp");
        b.answers << -1;
        CHECK(!b.window.open_file(lost));
        CHECK(b.told.last().contains("holds the whole cell"));
        CHECK(QFile::exists(b.room.filePath(QString(".%1.escarp.edits").arg(name))));
        b.answers << 0;
        REQUIRE(b.window.open_file(lost));
        CHECK(b.w().open.document() == shown);
        CHECK(b.w().open.modified());
        REQUIRE(b.w().open.save_as(lost, {.changes = true}));
        CHECK(cell::Document::load(lost.toStdString()) == shown);
    }
}

TEST_CASE("edits that were dropped at the start come back by Undo; a read-only file is asked about") {
    Bench b;
    const QString file = b.w().open.file(), second = b.room.filePath("second.escarp");
    REQUIRE(b.w().open.apply({"Move", {cell::Operation::set("/devices/tester/placement/x_mm", 1111.0)}}));
    const cell::Document edited = b.w().open.document();
    REQUIRE(QFile::copy(b.room.filePath(".leak-test.escarp.edits"), b.room.filePath(".second.escarp.edits")));
    REQUIRE(QFile::copy(file, second));
    b.answers << 1;
    REQUIRE(b.window.open_file(second));
    CHECK(!(b.w().open.document() == edited));
    b.w().open.undo();
    CHECK(b.w().open.document() == edited);
    REQUIRE(QFile::setPermissions(second, QFileDevice::ReadOwner));
    b.answers << -1;
    b.action("save")->trigger();
    CHECK(b.told.last().contains("read-only"));
    CHECK(!(cell::Document::load(second.toStdString()) == edited));
    b.answers << 1;
    b.action("save")->trigger();
    CHECK(cell::Document::load(second.toStdString()) == edited);
}

TEST_CASE("what is refused deep within a handler is told with its place, and is no surprise") {
    class Refusing : public QObject {
        bool event(QEvent* e) override {
            if (e->type() == QEvent::User) throw cell::InputError("devices/a/name", "Another device has this name.");
            return QObject::event(e);
        }
    };
    auto& app = *qobject_cast<Application*>(QCoreApplication::instance());
    QStringList told;
    Refusing refusing;
    QObject::connect(&app, &Application::refused, &refusing, [&](const QString& why) { told << why; });
    QEvent event(QEvent::User);
    QCoreApplication::sendEvent(&refusing, &event);
    REQUIRE(QTest::qWaitFor([&] { return !told.isEmpty(); }));
    CHECK(told.front() == "devices/a/name: Another device has this name.");
    CHECK(app.surprises() == 0);
}

TEST_CASE("after Cancel nothing happens in the window until the work beside it has ended") {
    QWidget window;
    window.show();
    std::atomic<int> happened{0};
    QTimer hand, often;
    QObject::connect(&often, &QTimer::timeout, [&] { ++happened; });
    often.start(2);
    QObject::connect(&hand, &QTimer::timeout, [&] {
        if (auto* dialog = window.findChild<QProgressDialog*>("load_progress"); dialog && dialog->isVisible())
            dialog->cancel();
    });
    hand.start(2);
    int meanwhile = -1;
    run_beside(&window, "Long", [&](const exchange::LoadWatch& watch) {
        while (!*watch.cancel) std::this_thread::yield();
        const int before = happened;
        std::this_thread::sleep_for(std::chrono::milliseconds(200));  // it notices late
        meanwhile = happened - before;
    });
    CHECK(meanwhile >= 0);
    CHECK(meanwhile <= 1);  // what was under way
}

TEST_CASE("what goes wrong behind the window is told by its own thread, and the next question is answered") {
    struct Owner : QObject {
        QString told;
        bool event(QEvent* e) override {
            try {
                return QObject::event(e);
            } catch (const std::logic_error& wrong) {
                told = wrong.what();
                return true;
            }
        }
    } owner;
    int found = 0;
    Background<int, int> behind(
        &owner,
        [](const int& question, const motion::StopFlag&) {
            if (question == 1) throw std::logic_error("nobody had thought of one");
            return 2 * question;
        },
        [&] { ++found; });
    behind.ask(1);
    REQUIRE(QTest::qWaitFor([&] { return !owner.told.isEmpty(); }, 60000));
    CHECK(owner.told == "nobody had thought of one");
    CHECK(behind.answer() == nullptr);
    behind.ask(2);
    REQUIRE(QTest::qWaitFor([&] { return found == 1; }, 60000));
    CHECK(*behind.answer() == 4);
}
