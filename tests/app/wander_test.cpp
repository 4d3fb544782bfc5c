#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/model/trial_json.h"
#include "support/watched_app.h"
#include "support/window_fixture.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QComboBox>
#include <QHeaderView>
#include <QLineEdit>
#include <QMenu>
#include <QScrollBar>
#include <QSpinBox>
#include <QSplitterHandle>
#include <QTabBar>
#include <QTimer>
#include <QWheelEvent>

using namespace caelumen;

/// Somebody who does not know the program tries whatever is in sight: clicks, drags, turns the wheel, presses keys, answers no question. Nothing ends it or
/// tells a fault, what was done can all be undone, and the campaign opens again as it was left.
class WanderTest : public QObject, WindowFixture {
    Q_OBJECT

    Random m_random{1};
    QTimer m_impatience; ///< closes dialogs and menus that wait for an answer

    template<class T>
    const T& any(const std::vector<T>& of) {
        return of[m_random.index(of.size())];
    }
    QPoint anyPlace(const QWidget& w) {
        return {static_cast<int>(m_random.index(static_cast<std::size_t>(std::max(1, w.width())))),
                static_cast<int>(m_random.index(static_cast<std::size_t>(std::max(1, w.height()))))};
    }
    std::vector<QWidget*> inSight() {
        std::vector<QWidget*> out;
        for (QWidget* w : m_window->centralWidget()->findChildren<QWidget*>())
            if (w->isVisible() && w->isEnabled() && w->width() > 4 && w->height() > 4 && !qobject_cast<QScrollBar*>(w) && !qobject_cast<QSplitterHandle*>(w) &&
                (w->focusPolicy() != Qt::NoFocus || qobject_cast<QAbstractScrollArea*>(w->parentWidget()) || qobject_cast<QAbstractButton*>(w)))
                out.push_back(w);
        return out;
    }
    void drag(QWidget* w) {
        const QPoint from = anyPlace(*w), to = anyPlace(*w);
        QPointer<QWidget> there = w;
        QTest::mousePress(w, Qt::LeftButton, {}, from);
        for (int k = 1; k <= 3 && there; ++k) {
            const QPoint at = from + (to - from) * k / 3;
            QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(w, &move);
        }
        if (there) QTest::mouseRelease(w, Qt::LeftButton, {}, to);
    }
    void turnWheel(QWidget* w) {
        const QPoint at = anyPlace(*w);
        const int eighths = m_random.uniform() < 0.5 ? 120 : -120;
        const auto with = m_random.uniform() < 0.3 ? Qt::ControlModifier : Qt::NoModifier;
        QWheelEvent wheel(at, w->mapToGlobal(at), {}, {0, eighths}, Qt::NoButton, with, Qt::NoScrollPhase, false);
        QApplication::sendEvent(w, &wheel);
    }
    void press(QWidget* w) {
        static const std::vector<Qt::Key> keys{Qt::Key_Left,  Qt::Key_Right,  Qt::Key_Up,        Qt::Key_Down,  Qt::Key_Space, Qt::Key_Return,   Qt::Key_Escape,
                                               Qt::Key_Tab,   Qt::Key_Delete, Qt::Key_Backspace, Qt::Key_Home,  Qt::Key_End,   Qt::Key_PageDown, Qt::Key_Plus,
                                               Qt::Key_Minus, Qt::Key_0,      Qt::Key_1,         Qt::Key_2,     Qt::Key_5,     Qt::Key_9,        Qt::Key_A,
                                               Qt::Key_B,     Qt::Key_C,      Qt::Key_D,         Qt::Key_F,     Qt::Key_G,     Qt::Key_H,        Qt::Key_K,
                                               Qt::Key_L,     Qt::Key_M,      Qt::Key_N,         Qt::Key_P,     Qt::Key_R,     Qt::Key_S,        Qt::Key_T,
                                               Qt::Key_X,     Qt::Key_Z,      Qt::Key_Comma,     Qt::Key_Period};
        w->setFocus();
        QTest::keyClick(w, any(keys));
    }
    void step() {
        const auto widgets = inSight();
        if (widgets.empty()) return;
        QWidget* w = any(widgets);
        const double what = m_random.uniform();
        if (auto* line = qobject_cast<QLineEdit*>(w); line && what < 0.5) {
            line->setFocus();
            QInputMethodEvent typed;
            typed.setCommitString(any(std::vector<QString>{"7", "-3.5", "1e999", "half", QString::fromUtf8("\u00e4\u2606 \u0416"), "<b>x</b>"}));
            QApplication::sendEvent(line, &typed);
            QTest::keyClick(line, Qt::Key_Return);
        } else if (what < 0.45) {
            QTest::mouseClick(w, Qt::LeftButton, {}, qobject_cast<QAbstractButton*>(w) ? w->rect().center() : anyPlace(*w));
        } else if (what < 0.5) {
            QTest::mouseDClick(w, Qt::LeftButton, {}, anyPlace(*w));
        } else if (what < 0.55) {
            const QPoint at = anyPlace(*w);
            QContextMenuEvent menu(QContextMenuEvent::Mouse, at, w->mapToGlobal(at));
            QApplication::sendEvent(w, &menu);
        } else if (what < 0.7) {
            drag(w);
        } else if (what < 0.8) {
            turnWheel(w);
        } else {
            press(w);
        }
        QCoreApplication::processEvents();
    }
    /// Where two texts part, for a message.
    static QString firstDifference(const std::string& a, const std::string& b) {
        const auto at = static_cast<std::size_t>(std::mismatch(a.begin(), a.end(), b.begin(), b.end()).first - a.begin()), from = at < 60 ? 0 : at - 60;
        return a == b ? QString() : QString::fromStdString(a.substr(from, 160) + "\n  and  " + b.substr(from, 160));
    }
    std::string inHand() { return jsonText(trialToJson(session().trial())); }
    void settle() { QTRY_VERIFY_WITH_TIMEOUT(session().resultsAreCurrent() || !session().whyNotMeasured().isEmpty(), 60'000); }

private slots:
    void initTestCase() {
        useOwnSettings();
        QVERIFY(writeTrial(threeFilters(320), m_folder.path()).ok());
        connect(&m_impatience, &QTimer::timeout, this, [] {
            if (QWidget* menu = QApplication::activePopupWidget()) menu->close();
            if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) dialog->reject();
        });
        m_impatience.start(60);
    }
    void cleanup() { m_window.reset(); }

    void nothingIsBrokenByTryingIt_data() {
        QTest::addColumn<int>("where");
        const char* names[] = {"kit", "night", "subs", "bench", "sky grid", "palette", "verdict", "log"};
        for (int k = 0; k < 8; ++k) QTest::newRow(names[k]) << k;
    }
    void nothingIsBrokenByTryingIt() {
        QFETCH(int, where);
        newWindow();
        const QString campaign = at(QString("wander-%1.caelumen").arg(where));
        m_window->openCampaign(campaign);
        m_answers->yes = false;
        drop({at("trial/trial.json")});
        QTRY_VERIFY2_WITH_TIMEOUT(session().hasTrial(), qPrintable(problem()), 20'000);
        settle();
        session().keep("wander", QString::number(where));
        QStringList faults;
        connect(&session(), &Session::failed, this, [&](const QString& sentence) {
            if (sentence.contains("fault in the program")) faults << sentence;
        });
        const std::string before = inHand();
        const qint64 trial = session().trialId();
        const auto wanted = [](const char* name, int usual) { return qEnvironmentVariableIsSet(name) ? qEnvironmentVariableIntValue(name) : usual; };
        const int steps = wanted("CAELUMEN_WANDER", 60);
        m_random = Random(static_cast<std::uint64_t>(wanted("CAELUMEN_WANDER_SEED", 1) * 100 + where));
        for (int k = 0; k < steps; ++k) {
            if (static_cast<int>(m_window->workspace()) != where) m_window->showWorkspace(static_cast<MainWindow::Workspace>(where)); // a click led elsewhere
            step();
            QVERIFY2(faults.isEmpty() && !problem().contains("fault in the program"), qPrintable(faults.join(' ') + problem()));
            QVERIFY(m_window->isVisible());
        }
        if (session().trialId() != trial || session().kept("wander") != QString::number(where))
            return; // the log led to another trial, or to another campaign, which has edits of its own
        const std::string after = inHand();
        while (session().undoStack().canUndo()) session().undoStack().undo();
        QCOMPARE(firstDifference(inHand(), before), QString());
        while (session().undoStack().canRedo()) session().undoStack().redo();
        QCOMPARE(firstDifference(inHand(), after), QString());
        // It opens as it was left.
        m_window.reset();
        newWindow();
        m_window->openCampaign(campaign);
        QTRY_VERIFY2_WITH_TIMEOUT(session().hasTrial(), qPrintable(problem()), 20'000);
        QCOMPARE(firstDifference(inHand(), after), QString());
    }
};

CAELUMEN_WINDOW_TEST(WanderTest)
#include "wander_test.moc"
