#include "app/language.h"
#include "support/bench_fixture.h"
#include "support/watched_app.h"

#include <QAbstractItemView>
#include <QAbstractSlider>
#include <QAbstractSpinBox>
#include <QAccessible>
#include <QAction>
#include <QComboBox>
#include <QGroupBox>
#include <QHeaderView>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QPlainTextEdit>
#include <QRegularExpression>
#include <QScrollBar>
#include <QTabBar>
#include <QTabWidget>
#include <QTableView>
#include <QTextDocument>
#include <QTextEdit>

#include <set>

using namespace caelumen;

namespace {

/// What a person can do something with.
bool isControl(const QWidget* w) {
    if (w->inherits("QTableCornerButton") || w->inherits("QMenuBarExtension") || w->inherits("QToolBarExtension") || w->inherits("QLineEditIconButton"))
        return false;
    if (qobject_cast<const QTabBar*>(w)) return true;
    if (qobject_cast<const QScrollBar*>(w) || qobject_cast<const QTabWidget*>(w)) return false; // keys go to what they belong to
    if (w->objectName().startsWith("qt_") || qobject_cast<const QHeaderView*>(w)) return false;
    for (const QWidget* p = w->parentWidget(); p; p = p->parentWidget())
        if (qobject_cast<const QComboBox*>(p) || qobject_cast<const QAbstractSpinBox*>(p) || p->inherits("QHeaderView") || qobject_cast<const QTabBar*>(p))
            return false; // parts of another
    return qobject_cast<const QAbstractButton*>(w) || qobject_cast<const QComboBox*>(w) || qobject_cast<const QLineEdit*>(w) ||
           qobject_cast<const QAbstractSpinBox*>(w) || qobject_cast<const QAbstractSlider*>(w) || qobject_cast<const QAbstractItemView*>(w) ||
           qobject_cast<const QTextEdit*>(w) || qobject_cast<const QPlainTextEdit*>(w) || (w->focusPolicy() & Qt::TabFocus);
}

QString told(const QWidget* w) {
    return QString("%1 \"%2\" in %3")
        .arg(w->metaObject()->className(), w->objectName(), w->parentWidget() ? w->parentWidget()->metaObject()->className() : "nothing");
}

} // namespace

/// What a person who does not see, or has no mouse, or reads another language, gets of every screen.
class ReachTest : public QObject, BenchFixture {
    Q_OBJECT

    std::vector<QWidget*> controls() const {
        std::vector<QWidget*> out;
        for (QWidget* w : m_window->findChildren<QWidget*>())
            if (w->isVisible() && w->isEnabled() && w->window() == m_window.get() && isControl(w)) out.push_back(w);
        return out;
    }
    void measured() {
        openWindow();
        m_window->resize(1280, 800);
        drop({at("trial/trial.json")});
        QVERIFY(settled());
    }
    void eachWorkspace(const std::function<void(const QString&)>& look) {
        for (int key = Qt::Key_1; key <= Qt::Key_8; ++key) {
            QTest::keyClick(m_window.get(), static_cast<Qt::Key>(key), Qt::AltModifier);
            QTest::qWait(30);
            look(QString("workspace %1").arg(key - Qt::Key_0));
        }
    }

    static QString plainText(const QString& text) {
        QTextDocument document;
        Qt::mightBeRichText(text) ? document.setHtml(text) : document.setPlainText(text);
        return document.toPlainText();
    }

private slots:
    void initTestCase() {
        makeScene(320);
        QSettings().clear();
        QAccessible::setActive(true);
    }
    void cleanup() {
        speakPseudo(false);
        m_window.reset();
    }

    void everyControlHasANameAndARole() {
        measured();
        QStringList silent;
        eachWorkspace([&](const QString& where) {
            for (const QWidget* w : controls()) {
                QAccessibleInterface* a = QAccessible::queryAccessibleInterface(const_cast<QWidget*>(w));
                const bool named = a && !(a->text(QAccessible::Name) + a->text(QAccessible::Description)).simplified().isEmpty();
                if (!named || a->role() == QAccessible::NoRole) silent << where + ": " + told(w);
            }
        });
        silent.removeDuplicates();
        QVERIFY2(silent.isEmpty(), qPrintable(silent.join("\n")));
    }

    /// Tab goes to everything that can be used, and comes round; what it leaves out is a part of something else or has a key of its own.
    void tabReachesEveryControl() {
        measured();
        QStringList missed;
        eachWorkspace([&](const QString& where) {
            std::set<QWidget*> reached;
            m_window->activateWindow();
            QWidget* first = nullptr;
            for (int n = 0; n < 500; ++n) {
                QWidget* from = m_window->focusWidget() ? m_window->focusWidget() : m_window.get();
                QTest::keyClick(from, Qt::Key_Tab);
                QWidget* now = m_window->focusWidget();
                if (!first) first = now;
                if (!now || (n > 2 && now == first)) break;
                reached.insert(now);
            }
            for (QWidget* w : controls()) {
                const auto* button = qobject_cast<const QAbstractButton*>(w);
                static const QRegularExpression key("\\([A-Z][^)]*\\)$"); // its tool tip names it
                const bool keyed = button && (!button->shortcut().isEmpty() || w->toolTip().contains(key));
                const bool inGroup = button && button->autoExclusive(); // arrows go on within
                if (!reached.count(w) && !reached.count(w->focusProxy()) && !keyed && !inGroup)
                    missed << where + ": " + told(w) + " " + w->accessibleName() + (button ? button->text() : QString()) + " " + w->toolTip();
            }
        });
        missed.removeDuplicates();
        QVERIFY2(missed.isEmpty(), qPrintable(missed.join("\n")));
    }

    /// In a language where every translated text is marked, none is without the mark, but names that people gave and units.
    void everyTextOfAControlIsTranslated() {
        speakPseudo(true);
        measured();
        static const QRegularExpression words("[A-Za-z]{4,}");
        const std::set<QString> given{"open", "duo7", "duo3"};
        QStringList plain;
        const auto look = [&](const QString& where, const QString& text) {
            if (text.contains(words) && !text.contains(QChar(0x27E6)) && !text.contains(".caelumen") && !given.count(text)) plain << where + ": " + text;
        };
        for (const QMenu* menu : m_window->menuBar()->findChildren<QMenu*>())
            for (const QAction* a : menu->actions()) look("menu", a->text());
        eachWorkspace([&](const QString& where) {
            for (const QWidget* w : m_window->findChildren<QWidget*>()) {
                if (!w->isVisible() || w->window() != m_window.get()) continue;
                if (const auto* b = qobject_cast<const QAbstractButton*>(w)) look(where + " button", b->text());
                if (const auto* g = qobject_cast<const QGroupBox*>(w)) look(where + " group", g->title());
                if (const auto* t = qobject_cast<const QTabBar*>(w))
                    for (int i = 0; i < t->count(); ++i) look(where + " tab", t->tabText(i));
                if (const auto* e = qobject_cast<const QLineEdit*>(w)) look(where + " hint", e->placeholderText());
                if (const auto* v = qobject_cast<const QTableView*>(w); v && v->model() && !v->horizontalHeader()->isHidden())
                    for (int i = 0; i < v->model()->columnCount(); ++i) look(where + " column", v->model()->headerData(i, Qt::Horizontal).toString());
                look(where + " name", w->accessibleName());
            }
        });
        plain.removeDuplicates();
        QVERIFY2(plain.isEmpty(), qPrintable(plain.join("\n")));
    }

    /// Sentences too, those that the core puts together among them: on labels, pages, lists and in choices, whoever made them.
    void everySentenceIsTranslated() {
        speakPseudo(true);
        measured();
        static const QRegularExpression sentence("[A-Za-z]{2,} [a-z]{2,} [a-z]{2,}");
        QStringList plain;
        const std::set<QString> given{"filter to sensor window", "sensor window to sensor", "84 mm f/5 apochromat, colour camera with a clear window"};
        const auto look = [&](const QString& where, const QString& text) {
            for (const QString& line : text.split('\n'))
                if (line.contains(sentence) && !line.contains(QChar(0x27E6)) && !line.contains(QChar(0x27E7)) && !given.count(line))
                    plain << where + ": " + line.left(160);
        };
        eachWorkspace([&](const QString& where) {
            for (const QWidget* w : m_window->findChildren<QWidget*>()) {
                if (!w->isVisible() || w->window() != m_window.get()) continue;
                if (const auto* l = qobject_cast<const QLabel*>(w); l && !qobject_cast<const QLineEdit*>(l->parentWidget()))
                    look(where + " label", plainText(l->text()));
                if (const auto* t = qobject_cast<const QTextEdit*>(w)) look(where + " page", t->toPlainText());
                if (const auto* c = qobject_cast<const QComboBox*>(w))
                    for (int i = 0; i < c->count(); ++i) look(where + " choice", c->itemText(i));
                if (const auto* v = qobject_cast<const QAbstractItemView*>(w); v && v->model())
                    for (int r = 0; r < std::min(50, v->model()->rowCount()); ++r)
                        for (int c = 0; c < v->model()->columnCount(); ++c) {
                            look(where + " cell", v->model()->index(r, c).data().toString());
                            look(where + " cell's tip", v->model()->index(r, c).data(Qt::ToolTipRole).toString());
                        }
                look(where + " tip", w->toolTip());
            }
        });
        plain.removeDuplicates();
        QVERIFY2(plain.isEmpty(), qPrintable(plain.join("\n")));
    }

    /// A third more letters: no button loses any.
    void longerTextsFitTheirButtons() {
        speakPseudo(true);
        measured();
        QStringList cut;
        eachWorkspace([&](const QString& where) {
            for (const QAbstractButton* b : m_window->findChildren<QAbstractButton*>())
                if (const auto* tool = qobject_cast<const QToolButton*>(b);
                    (!tool || tool->icon().isNull() || tool->toolButtonStyle() != Qt::ToolButtonIconOnly) && b->isVisible() && b->window() == m_window.get() &&
                    !b->text().isEmpty() && b->fontMetrics().size(Qt::TextShowMnemonic, b->text()).width() > b->width())
                    cut << QString("%1: %2 (%3 of %4)")
                               .arg(where, b->text())
                               .arg(b->width())
                               .arg(b->fontMetrics().size(Qt::TextShowMnemonic, b->text()).width());
        });
        QVERIFY2(cut.isEmpty(), qPrintable(cut.join("\n")));
    }

    void pluralsAreEnglish() {
        installLanguage(*qApp);
        QCOMPARE(QCoreApplication::translate("x", "Add %n run(s)", "", 1), QString("Add 1 run"));
        QCOMPARE(QCoreApplication::translate("x", "Add %n run(s)", "", 3), QString("Add 3 runs"));
    }
};

CAELUMEN_WINDOW_TEST(ReachTest)
#include "reach_test.moc"
