#include "app/application.h"
#include "app/demo_campaign.h"
#include "app/language.h"
#include "app/main_window.h"
#include "app/screenshots.h"
#include "app/widgets/paths.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QDir>
#include <QFile>
#include <QHashSeed>
#include <QProgressDialog>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QThreadPool>
#include <QTimer>

#include <algorithm>
#include <atomic>
#include <cstdio>
#include <memory>

using namespace caelumen;

namespace {

/// Makes the demo while a dialog shows how far it is; an empty path when cancelled.
Result<QString> makeDemo(const QString& folder, bool withDialog) {
    if (!withDialog) return demoCampaign(folder);
    QProgressDialog dialog(QObject::tr("Photographing the demo's virtual nights \u2026"), QObject::tr("Cancel"), 0, 1000);
    dialog.setMinimumDuration(300);
    std::stop_source stop;
    std::atomic<int> part{0};
    std::atomic<bool> done{false};
    Result<QString> result = Error{QObject::tr("The demo was not made.").toStdString()};
    QThreadPool::globalInstance()->start([&] {
        Job job;
        job.stop = stop.get_token();
        job.progress = [&](double p, const std::string&) { part = static_cast<int>(1000 * p); };
        try {
            result = demoCampaign(folder, job);
        } catch (...) {
            result = Error{sentenceOfException().toStdString()};
        }
        done = true;
    });
    while (!done) {
        QApplication::processEvents(QEventLoop::AllEvents, 30);
        dialog.setValue(part);
        if (dialog.wasCanceled()) stop.request_stop();
        QThread::msleep(20);
    }
    return result;
}

} // namespace

int main(int argc, char** argv) {
    QHashSeed::setDeterministicGlobalSeed(); // as on the command line: a report is to be remade byte for byte
    QApplication::setOrganizationName("Caelumen");
    QApplication::setApplicationName("caelumen");
    QApplication::setApplicationVersion(CAELUMEN_VERSION);
    QStringList words; // by their bytes: a file's name need not be UTF-8
    for (int i = 0; i < argc; ++i) words << fromPath(argv[i]);
    // What only prints needs no monitor.
    const bool printsOnly = std::any_of(words.begin() + 1, std::find(words.begin() + 1, words.end(), "--"),
                                        [](const QString& w) { return w == "--help" || w == "-h" || w == "--help-all" || w == "--version" || w == "-v"; });
    const std::unique_ptr<QCoreApplication> application(printsOnly ? new QCoreApplication(argc, argv) : new Application(argc, argv));

    installLanguage(*application);

    QCommandLineParser parser;
    parser.setApplicationDescription(QObject::tr("Compares astrophotography filters fairly."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("CAMPAIGN", QObject::tr("campaign file to open, or stacked frames to compare"), "[CAMPAIGN | FRAMES...]");
    const QCommandLineOption demo("demo", QObject::tr("open the demo campaign, made on first use"));
    const QCommandLineOption demoFolder("demo-folder", QObject::tr("where the demo's files live"), "DIR", defaultDemoFolder());
    const QCommandLineOption shots("screenshots", QObject::tr("write pictures of the window with the demo campaign and exit"), "DIR");
    parser.addOptions({demo, demoFolder, shots});
    parser.process(words);
    auto& app = static_cast<Application&>(*application);
    QApplication::setApplicationDisplayName("Caelumen");
    QApplication::setDesktopFileName("org.caelumen.Caelumen");

    QTemporaryDir scratch;
    if (parser.isSet(shots)) { // nobody's settings in the pictures, nor anybody's log
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, scratch.path());
        qputenv("XDG_DATA_HOME", QFile::encodeName(scratch.path()));
    }

    applyTheme(app, themeFromName(QSettings().value("theme", "grey").toString()));
    QString campaign;
    QStringList frames;
    const QString own = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/first.caelumen";
    bool named = false;
    if (parser.isSet(demo) || parser.isSet(shots)) {
        const auto made = makeDemo(QDir(parser.value(demoFolder)).absolutePath(), !parser.isSet(shots));
        if (!made) {
            std::fprintf(stderr, "caelumen: %s\n", made.error().message.c_str());
            return 1;
        }
        campaign = *made;
    } else {
        for (const QString& word : parser.positionalArguments())
            word.endsWith(".caelumen") ? void((campaign = word, named = true)) : frames.append(QDir::current().absoluteFilePath(word));
        if (campaign.isEmpty()) {
            const QStringList recent = QSettings().value("recent").toStringList();
            campaign = !recent.isEmpty() && QFile::exists(recent.front()) ? recent.front() : own;
        }
        QDir().mkpath(QFileInfo(own).absolutePath());
    }

    chooseTheme(app, theme().kind);
    MainWindow window;
    if (named && !QFileInfo::exists(campaign)) { // a slip of the keyboard makes no campaign
        window.openCampaign(own);
        window.fail(QObject::tr("%1 is not there; open another campaign, or make a new one with File > New campaign.").arg(campaign));
    } else {
        window.openCampaign(campaign);
    }
    if (!parser.isSet(shots)) {
        hearWarnings();
        QTimer::singleShot(0, &window, &MainWindow::offerRecovery); // when it is there to be asked in
    }
    if (parser.isSet(shots)) return takeScreenshots(window, parser.value(shots));
    window.show();
    if (!frames.isEmpty()) window.session().takeFrames(frames, false);
    return QApplication::exec();
}
