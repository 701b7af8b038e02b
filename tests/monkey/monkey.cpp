// escarp-monkey SECONDS [SEED] CELL...: clicks, drags and types at random in the real window, on copies of the cells in
// turn. Tells memory and the longest wait once a minute; exit 1 when something went wrong that nobody had thought of,
// or what is open cannot be read again at the end.

#include <malloc.h>
#include <QAbstractItemView>
#include <QAction>
#include <QColorDialog>
#include <QDir>
#include <QDrag>
#include <QElapsedTimer>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <cstdio>
#include <random>

#include <desktop/app/application.h>
#include <desktop/app/main_window.h>
#include <desktop/session/step_back.h>
#include <desktop/worksheet/step_line.h>

using namespace escarp::desktop;

namespace {

double resident_mb() {
    QFile status("/proc/self/status");
    if (!status.open(QIODevice::ReadOnly)) return 0;
    for (const QByteArray& line : status.readAll().split('\n'))
        if (line.startsWith("VmRSS:")) return line.mid(6).simplified().split(' ').front().toDouble() / 1024;
    return 0;
}

/// What was asked for and not given back; the rest of the memory is kept by the allocator.
double in_use_mb() {
    const auto info = mallinfo2();
    return static_cast<double>(info.uordblks + info.hblkhd) / (1 << 20);
}

class Monkey : public QObject {
public:
    /// `originals`: what `cells` are copies of.
    Monkey(MainWindow& window, const QStringList& cells, const QStringList& originals, unsigned seed)
        : window_(window), cells_(cells), originals_(originals), draw_(seed) {
        open_next();
        go_on();
    }
    long actions() const { return actions_; }
    /// The longest action since this was asked last, and on what.
    std::pair<double, QString> longest() { return {std::exchange(longest_ms_, 0.0), std::exchange(longest_, {})}; }
    void stop() { stopped_ = true; }
    QString state() const { return QString(top()->metaObject()->className()) + " is on top, last: " + done_; }

private:
    int whole(int low, int high) { return std::uniform_int_distribution(low, high)(draw_); }

    void open_next() { window_.open_file(cells_[opened_++ % cells_.size()]); }
    /// It copies and copies: nobody lays out a cell of hundreds of devices by hand.
    void start_over() {
        for (int i = 0; i < cells_.size(); ++i) QFile::remove(cells_[i]), QFile::copy(originals_[i], cells_[i]);
        open_next();
    }

    /// Whatever would get the click of a person: a menu, a dialog, else the window.
    QWidget* top() const {
        if (QWidget* popup = QApplication::activePopupWidget()) return popup;
        if (QWidget* modal = QApplication::activeModalWidget()) return modal;
        return &window_;
    }

    /// A shot of its own each time: a dialog runs in a loop within the action that opened it.
    void go_on() {
        if (!stopped_) QTimer::singleShot(1, this, &Monkey::act);
    }

    void act() {
        go_on();
        QWidget* const now = top();
        if (busy_on_ && busy_on_ == now)
            return QDrag::cancel();  // within an action that has not ended, and opened nothing: something is carried
        const QPointer<QWidget> before = std::exchange(busy_on_, now);
        act_once();
        busy_on_ = before;
    }

    void act_once() {
        ++actions_;
        QElapsedTimer took;
        took.start();
        QWidget* on = top();
        if (auto* files = qobject_cast<QFileDialog*>(on))
            return files->reject();  // nothing outside of the folder is touched
        if (!window_.isVisible()) return window_.show(), open_next();
        if (actions_ % 5000 == 0 && on == &window_) open_next();
        constexpr std::size_t most_devices = 100, most_variants = 8;
        const auto& workspace = window_.workspace();
        if (on == &window_ && (workspace.open.cell()->devices.size() > most_devices ||
                                  workspace.open.document().variants().size() > most_variants))
            start_over();
        const QPoint at(whole(0, std::max(0, on->width() - 1)), whole(0, std::max(0, on->height() - 1)));
        QWidget* under = on->childAt(at);
        if (!under) under = on;
        if (auto* area = qobject_cast<QAbstractItemView*>(under)) under = area->viewport();
        const QPoint here = under->mapFrom(on, at);
        const Qt::KeyboardModifiers keys = whole(0, 9) == 0    ? Qt::ControlModifier
                                           : whole(0, 9) == 0  ? Qt::ShiftModifier
                                           : whole(0, 19) == 0 ? Qt::AltModifier
                                                               : Qt::NoModifier;
        const Qt::MouseButton button = whole(0, 9) == 0 ? Qt::RightButton : Qt::LeftButton;
        done_ = QString(under->metaObject()->className()) + " " + under->objectName();
        switch (whole(0, 11)) {
            case 0:
            case 1:
            case 2:
            case 3: QTest::mouseClick(under, button, keys, here); break;
            case 4: QTest::mouseDClick(under, Qt::LeftButton, keys, here); break;
            case 5:
            case 6: drag(under, button, keys, here); break;
            case 7: type(); break;
            case 8: press(); break;
            case 9: wheel(under, here, keys); break;
            case 10: trigger(); break;
            default: QTest::mouseMove(under, here); break;
        }
        const double ms = static_cast<double>(took.nsecsElapsed()) * 1e-6;
        if (ms > longest_ms_) longest_ms_ = ms, longest_ = done_;
    }

    void drag(QWidget* on, Qt::MouseButton button, Qt::KeyboardModifiers keys, QPoint at) {
        // Carrying something over the screen is the window system's affair: without a real pointer it would end within
        // Qt's own code.
        if (auto* label = qobject_cast<QLabel*>(on); label && label->textInteractionFlags() != Qt::NoTextInteraction)
            return;
        for (QWidget* w = on; w; w = w->parentWidget())
            if (auto* view = qobject_cast<QAbstractItemView*>(w);
                (view && view->dragEnabled()) || qobject_cast<QColorDialog*>(w) || qobject_cast<StepLine*>(w))
                return;
        const QPointer<QWidget> still(on);
        QTest::mousePress(on, button, keys, at);
        for (int i = whole(1, 8); i > 0 && still; --i) {
            at += QPoint(whole(-60, 60), whole(-40, 40));
            QMouseEvent move(QEvent::MouseMove, at, on->mapToGlobal(at), Qt::NoButton, button, keys);
            QApplication::sendEvent(on, &move);
            if (whole(0, 3) == 0) QApplication::processEvents(QEventLoop::ExcludeUserInputEvents, 5);
        }
        if (still) QTest::mouseRelease(on, button, keys, at);
    }

    void type() {
        static const QStringList words{"0", "1", "-5", "250", "1e9", "1/0", "2*(3", "650+45", "nan",
            "\u00e4\u4e2d\U0001F600", "<b>x</b>", "&", "Arm 1", " ", "12,5", "1.2 m", "9999999999999999999", "x"};
        QWidget* on = QApplication::focusWidget();
        if (!on) return;
        done_ = "typing in " + QString(on->metaObject()->className()) + " " + on->objectName();
        const QPointer<QWidget> still(on);
        for (const QChar c : words[whole(0, static_cast<int>(words.size()) - 1)])
            for (const QEvent::Type type : {QEvent::KeyPress, QEvent::KeyRelease})
                if (still) {
                    QKeyEvent key(type, 0, Qt::NoModifier, c);
                    QApplication::sendEvent(on, &key);
                }
        if (still && whole(0, 1)) QTest::keyClick(on, whole(0, 3) ? Qt::Key_Return : Qt::Key_Tab);
    }

    void press() {
        static const Qt::Key keys[] = {Qt::Key_Escape, Qt::Key_Escape, Qt::Key_Return, Qt::Key_Tab, Qt::Key_Delete,
            Qt::Key_Space, Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_Home, Qt::Key_End,
            Qt::Key_BracketLeft, Qt::Key_BracketRight, Qt::Key_F2, Qt::Key_C, Qt::Key_PageUp, Qt::Key_Backspace};
        QWidget* on = QApplication::focusWidget() ? QApplication::focusWidget() : top();
        done_ = "a key in " + QString(on->metaObject()->className()) + " " + on->objectName();
        const int chord = whole(0, 9);
        if (chord == 0) QTest::keyClick(on, Qt::Key_Z, Qt::ControlModifier);
        else if (chord == 1) QTest::keyClick(on, Qt::Key_D, Qt::ControlModifier);
        else
            QTest::keyClick(on, keys[whole(0, static_cast<int>(std::size(keys)) - 1)],
                whole(0, 5) ? Qt::NoModifier : Qt::ShiftModifier);
    }

    void wheel(QWidget* on, const QPoint& at, Qt::KeyboardModifiers keys) {
        QWheelEvent turn(
            at, on->mapToGlobal(at), {}, {0, whole(-3, 3) * 120}, Qt::NoButton, keys, Qt::NoScrollPhase, false);
        QApplication::sendEvent(on, &turn);
    }

    void trigger() {
        if (top() != &window_) return;
        const QList<QAction*> all = window_.actions();
        QAction* action = all[whole(0, static_cast<int>(all.size()) - 1)];
        done_ = "action " + action->objectName();
        if (action->objectName() != "quit") action->trigger();
    }

    MainWindow& window_;
    const QStringList cells_, originals_;
    std::mt19937 draw_;
    QPointer<QWidget> busy_on_;
    bool stopped_ = false;
    long actions_ = 0;
    int opened_ = 0;
    double longest_ms_ = 0;
    QString done_, longest_;
};

}  // namespace

int main(int argc, char** argv) {
    escarp::desktop::share_freed_memory();
    const QTemporaryDir room;
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"}) qputenv(name, room.path().toUtf8());
    if (argc < 3) {
        std::fprintf(stderr, "usage: escarp-monkey SECONDS [SEED] CELL...\n");
        return 2;
    }
    bool seeded = false;
    unsigned seed = QString(argv[2]).toUInt(&seeded);
    if (!seeded) seed = 1;
    QStringList cells, originals;
    for (int i = seeded ? 3 : 2; i < argc; ++i) {
        originals << QFileInfo(argv[i]).absoluteFilePath();
        cells << room.filePath(QFileInfo(argv[i]).fileName());
        if (!QFile::copy(argv[i], cells.last())) return std::fprintf(stderr, "%s cannot be copied\n", argv[i]), 2;
    }
    const double seconds = QString(argv[1]).toDouble();
    QDir::setCurrent(room.path());
    Application app(argc, argv);
    QApplication::setQuitOnLastWindowClosed(false);
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    Monkey monkey(window, cells, originals, seed);
    QElapsedTimer clock;
    clock.start();
    QTimer minute;
    long told = -1;
    const auto tell = [&] {
        const auto [ms, on] = monkey.longest();
        std::printf(
            "%5.0f s  %8ld actions  %4.0f MB, %4.0f in use  surprises %d  cell of %zu in %zu variants  "
            "longest %5.0f ms: %s\n",
            static_cast<double>(clock.elapsed()) / 1e3, monkey.actions(), resident_mb(), in_use_mb(), app.surprises(),
            window.workspace().open.cell()->devices.size(), window.workspace().open.document().variants().size(), ms,
            on.toUtf8().constData());
        if (monkey.actions() == told)
            std::printf("        nothing was done: %s\n", monkey.state().toUtf8().constData());
        told = monkey.actions();
        std::fflush(stdout);
    };
    minute.callOnTimeout(tell);
    minute.start(static_cast<int>(std::min(60.0, seconds / 10) * 1e3));
    QTimer end;
    int code = 0;
    end.callOnTimeout([&] {
        monkey.stop();
        tell();
        try {
            escarp::cell::Document::parse(window.workspace().open.document().text());
        } catch (const std::exception& e) {
            std::printf("the document cannot be read again: %s\n", e.what());
            code = 1;
        }
        if (app.surprises()) code = 1;
        std::fflush(stdout);
        std::_Exit(code);  // menus and dialogs may be open in loops of their own
    });
    end.start(static_cast<int>(seconds * 1e3));
    QApplication::exec();
    return 1;  // it was closed
}
