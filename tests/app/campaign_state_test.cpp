#include "app/application.h"
#include "app/subs/subs.h"
#include "app/widgets/campaign_bar.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "support/window_fixture.h"

#include <QComboBox>
#include <QDir>
#include <QListWidget>
#include <QPushButton>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <QToolTip>

#include <csignal>
#include <sys/resource.h>

using namespace caelumen;
namespace fs = std::filesystem;

/// Another program that holds the file in the middle of a change.
class Holder {
public:
    explicit Holder(const QString& path) {
        QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "holder");
        db.setDatabaseName(path);
        m_holds = db.open() && QSqlQuery(db).exec("BEGIN IMMEDIATE");
    }
    ~Holder() {
        QSqlQuery(QSqlDatabase::database("holder")).exec("ROLLBACK");
        QSqlDatabase::database("holder").close();
        QSqlDatabase::removeDatabase("holder");
    }
    bool holds() const { return m_holds; }

private:
    bool m_holds = false;
};

/// What becomes of edits when the campaign's file cannot be written, is open twice, or is damaged; driven in the real window.
class CampaignStateTest : public QObject, WindowFixture {
    Q_OBJECT

    QString campaign() const { return at(QTest::currentTestFunction()) + ".caelumen"; }

    static CampaignBar& bar(MainWindow& window) { return *window.findChild<CampaignBar*>(); }
    static void press(MainWindow& window, const QString& beginning) {
        for (QPushButton* button : bar(window).findChildren<QPushButton*>())
            if (button->isVisible() && button->text().startsWith(beginning)) return QTest::mouseClick(button, Qt::LeftButton);
        QFAIL(qPrintable("no button " + beginning));
    }
    static void rename(MainWindow& window, const char* title) {
        Trial changed = window.session().trial();
        changed.title = title;
        window.session().edit("Rename", changed);
    }
    static QString titleIn(const QString& path) {
        const auto c = Campaign::openToRead(path);
        const auto all = c ? (*c)->trials() : Result<std::vector<Campaign::Entry>>(Error{});
        return all && !all->empty() ? all->front().title : QString();
    }

private slots:
    void initTestCase() { useOwnSettings(); }

    void init() {
        m_window = anotherWindow(m_answers);
        m_window->openCampaign(campaign());
        Trial trial;
        trial.title = "As it was";
        QVERIFY(session().addTrial(trial).ok());
        QVERIFY(!bar(*m_window).isVisible());
    }
    void cleanup() {
        if (m_answers) m_answers->yes = true;
        m_window.reset();
    }

    /// The edit stays, is told until it is mended, and is written as soon as it can be.
    void anEditThatCannotBeSavedIsKeptAndSavedLater() {
        {
            const Holder other(campaign());
            QVERIFY(other.holds());
            rename(*m_window, "Edited meanwhile");
            QVERIFY(bar(*m_window).isVisible());
            QVERIFY2(bar(*m_window).sentence().startsWith("Not saved yet") && bar(*m_window).sentence().contains(campaign()),
                     qPrintable(bar(*m_window).sentence()));
            QTest::qWait(2600); // a try in between failed
            QVERIFY(bar(*m_window).isVisible());
            rename(*m_window, "Edited twice");
            QCOMPARE(QString::fromStdString(session().trial().title), QString("Edited twice"));
            QCOMPARE(titleIn(campaign()), QString("As it was"));
            QVERIFY(!session().saveCampaignAs(campaign()).ok()); // the same name is no way out
        }
        QTRY_VERIFY_WITH_TIMEOUT(!bar(*m_window).isVisible(), 5000);
        QCOMPARE(titleIn(campaign()), QString("Edited twice"));
    }

    void tryAgainSavesAtOnce() {
        {
            const Holder other(campaign());
            rename(*m_window, "Edited");
        }
        press(*m_window, "Try again");
        QVERIFY(!bar(*m_window).isVisible());
        QCOMPARE(titleIn(campaign()), QString("Edited"));
    }

    /// The folder is gone: what is known goes into a campaign elsewhere, with the decisions of the Subs.
    void saveElsewhereLosesNothing() {
        session().keep("subs", R"({"sources": [], "halves": true})");
        QVERIFY(QFile::rename(campaign(), at("moved away")));
        rename(*m_window, "Edited without a file");
        session().keep("subs", R"({"sources": [], "maps": true})");
        QVERIFY(bar(*m_window).sentence().contains("gone"));
        m_answers->save = at("elsewhere");
        press(*m_window, "Save elsewhere");
        QVERIFY(!bar(*m_window).isVisible());
        QCOMPARE(session().campaign()->path(), at("elsewhere.caelumen"));
        QCOMPARE(QString::fromStdString(session().trial().title), QString("Edited without a file"));
        QVERIFY(session().kept("subs").contains("maps"));
        rename(*m_window, "Edited there");
        QCOMPARE(titleIn(at("elsewhere.caelumen")), QString("Edited there"));
    }

    void theWindowDoesNotCloseOverWhatIsNotSaved() {
        const Holder other(campaign());
        rename(*m_window, "Edited");
        m_answers->yes = false;
        QVERIFY(!m_window->close());
        QVERIFY(m_window->isVisible());
        QVERIFY2(m_answers->question.contains("not saved"), qPrintable(m_answers->question));
        m_window->openCampaign(at("another.caelumen")); // nor does another campaign take its place
        QCOMPARE(session().campaign()->path(), campaign());
        m_answers->yes = true;
        QVERIFY(m_window->close());
    }

    /// A device that fails after some bytes, as a full disk does.
    void aFullDiskIsToldUntilThereIsRoom() {
        rlimit before{};
        getrlimit(RLIMIT_FSIZE, &before);
        std::signal(SIGXFSZ, SIG_IGN);
        const rlimit small{4096, before.rlim_max};
        setrlimit(RLIMIT_FSIZE, &small);
        rename(*m_window, "Edited on a full disk");
        setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY(bar(*m_window).isVisible());
        QVERIFY2(bar(*m_window).sentence().contains("full"), qPrintable(bar(*m_window).sentence()));
        QTRY_VERIFY_WITH_TIMEOUT(!bar(*m_window).isVisible(), 5000);
        QCOMPARE(titleIn(campaign()), QString("Edited on a full disk"));
    }

    void aSecondWindowReadsFollowsAndTakesOver() {
        Answers* answers = nullptr;
        const auto second = anotherWindow(answers);
        second->openCampaign(campaign());
        QVERIFY(bar(*second).isVisible());
        QVERIFY2(bar(*second).sentence().contains("another window"), qPrintable(bar(*second).sentence()));
        QCOMPARE(QString::fromStdString(second->session().trial().title), QString("As it was"));
        rename(*second, "From the second");
        QCOMPARE(QString::fromStdString(second->session().trial().title), QString("As it was"));
        QVERIFY(problemIn(*second).contains("only be read"));
        rename(*m_window, "From the first");
        QTRY_COMPARE_WITH_TIMEOUT(QString::fromStdString(second->session().trial().title), QString("From the first"), 5000);

        press(*second, "Work on it here");
        QVERIFY(!bar(*second).isVisible());
        rename(*second, "From the second");
        QCOMPARE(titleIn(campaign()), QString("From the second"));
        QTRY_VERIFY_WITH_TIMEOUT(bar(*m_window).isVisible(), 5000);
        rename(*m_window, "Too late");
        QCOMPARE(titleIn(campaign()), QString("From the second"));
        QTRY_COMPARE_WITH_TIMEOUT(QString::fromStdString(session().trial().title), QString("From the second"), 5000);
        QVERIFY(!m_window->grab().isNull());
    }

    void aDamagedCampaignOffersItsGoodCopy() {
        m_window->openCampaign(at("other.caelumen")); // closes the first, whose copy is kept when it is opened again
        m_window->openCampaign(campaign());
        QTRY_VERIFY_WITH_TIMEOUT(!Campaign::lastGoodCopy(campaign()).isEmpty(), 10'000);
        m_window->openCampaign(at("other.caelumen"));
        QFile file(campaign());
        QVERIFY(file.open(QIODevice::ReadWrite) && file.seek(4096));
        file.write(QByteArray(8192, 'x'));
        file.close();
        m_answers->yes = false;
        m_window->openCampaign(campaign());
        QVERIFY2(m_answers->question.contains("damaged") && m_answers->question.contains("good copy"), qPrintable(m_answers->question));
        QVERIFY(problemIn(*m_window).contains(campaign()));
        QCOMPARE(session().campaign()->path(), at("other.caelumen"));
        m_answers->yes = true;
        m_window->openCampaign(campaign());
        QVERIFY2(session().campaign()->path().contains("mended"), qPrintable(session().campaign()->path()));
        QCOMPARE(QString::fromStdString(session().trial().title), QString("As it was"));
        QVERIFY(problemIn(*m_window).isEmpty());
    }

    /// A folder with names and headers that are no UTF-8, and files that are no frames: the campaign opens, good frames count, bad ones are named.
    void aCampaignWithABadFolderOpens() {
        const fs::path folder = m_folder.path() / "nuit \xE9toil\xE9";
        fs::create_directories(folder);
        std::string frame = "SIMPLE  =                    T";
        const auto card = [](std::string text) { return text.append(80 - text.size(), ' '); };
        frame = card(frame) + card("BITPIX  =                   16") + card("NAXIS   =                    2") + card("NAXIS1  =                   64") +
                card("NAXIS2  =                   48") + card("OBJECT  = 'Caf\xE9'") + card("FILTER  = 'Bleu fonc\xE9'") + card("END");
        frame.resize(2880, ' ');
        frame += std::string(8640, '\1');
        QVERIFY(writeFile(folder / "l\xE9ger.fits", frame).ok());
        QVERIFY(writeFile(folder / "junk \xFF.fits", "no frame").ok());
        session().keep("subs", QString::fromStdString(jsonText({{"sources", Json::array({nameText(folder)})}})));
        m_window->openCampaign(at("other.caelumen"));
        m_window->openCampaign(campaign());
        QTRY_COMPARE_WITH_TIMEOUT(m_window->subs().model().frames().size(), std::size_t{2}, 20'000);
        QVERIFY(m_window->subs().model().groups().size() >= 1);
        m_window->showWorkspace(MainWindow::Workspace::Subs);
        QVERIFY(!m_window->grab().isNull());
        QStringList texts;
        for (const QListWidget* list : m_window->subs().findChildren<QListWidget*>())
            for (int i = 0; i < list->count(); ++i) texts << list->item(i)->text();
        QVERIFY2(texts.join("|").contains(QString::fromUtf8("fonc\u00e9")), qPrintable(texts.join("|")));
    }

    /// What an answer to a click throws becomes a sentence.
    void nothingThrownByAClickEndsTheProgram() {
        QPushButton odd("Throw", m_window.get());
        connect(&odd, &QPushButton::clicked, this, [] { throw std::bad_alloc(); });
        odd.show();
        QTest::mouseClick(&odd, Qt::LeftButton);
        QTRY_VERIFY(problemIn(*m_window).contains("memory"));
    }

    /// A name is shown as it is, wherever it stands: no markup in it is obeyed.
    void namesAreShownAsPlainText() {
        const QString name = "<img src='/etc/hostname'><b>bold</b>";
        Trial changed = session().trial();
        changed.target.name = changed.site.name = changed.title = name.toStdString();
        session().edit("Rename", changed);
        int shown = 0;
        for (const QLabel* label : m_window->findChildren<QLabel*>()) {
            if (!label->text().contains("<img")) continue;
            ++shown;
            QVERIFY2(label->textFormat() == Qt::PlainText, qPrintable(label->objectName() + label->text()));
        }
        QVERIFY(shown > 0);
        QToolTip::showText(m_window->mapToGlobal(QPoint(50, 50)), name, m_window.get());
        QLabel* tip = nullptr;
        QTRY_VERIFY([&] {
            for (QWidget* w : QApplication::topLevelWidgets())
                if (w->inherits("QTipLabel")) tip = qobject_cast<QLabel*>(w);
            return tip != nullptr;
        }());
        QCOMPARE(tip->textFormat(), Qt::PlainText);
        QToolTip::hideText();
    }
};

int main(int argc, char** argv) {
    Application app(argc, argv);
    CampaignStateTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "campaign_state_test.moc"
