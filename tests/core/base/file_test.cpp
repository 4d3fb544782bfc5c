#include "core/base/file.h"

#include "support/scenes.h"

#include <csignal>
#include <fstream>
#include <sys/resource.h>

using namespace caelumen;
namespace fs = std::filesystem;

class FileTest : public QObject {
    Q_OBJECT

private slots:
    void writesWhatItReads() {
        const scenes::Folder folder;
        const std::string text("line\n\0binary", 12);
        QVERIFY(writeFile(folder / "a.txt", text).ok());
        const auto back = readText(folder / "a.txt");
        QVERIFY(back.ok());
        QVERIFY(*back == text);
    }

    void aFailedWriteLeavesTheOldFileAndNothingElse() {
        const scenes::Folder folder;
        QVERIFY(writeFile(folder / "a.txt", "old").ok());
        const Status failed = writeThrough(folder / "a.txt", [](const fs::path& part) -> Status {
            std::ofstream(part) << "half";
            return Error{"disk full"};
        });
        QVERIFY(!failed.ok());
        QVERIFY(*readText(folder / "a.txt") == "old");
        QCOMPARE(std::distance(fs::directory_iterator(folder.path()), fs::directory_iterator{}), std::ptrdiff_t{1});
    }

    void aMissingFolderIsToldInOneSentence() {
        const scenes::Folder folder;
        const Status failed = writeFile(folder / "missing/a.txt", "x");
        QVERIFY(!failed.ok());
        QVERIFY(failed.error().message.find("missing/a.txt") != std::string::npos);
        QVERIFY(failed.error().message.find('\n') == std::string::npos);
    }

    /// A device that fails after 4096 bytes: the old file stays, nothing else is left.
    void aFullDeviceLosesNothing() {
        const scenes::Folder folder;
        QVERIFY(writeFile(folder / "a.txt", "old").ok());
        rlimit before{};
        getrlimit(RLIMIT_FSIZE, &before);
        std::signal(SIGXFSZ, SIG_IGN);
        const rlimit small{4096, before.rlim_max};
        setrlimit(RLIMIT_FSIZE, &small);
        const Status failed = writeFile(folder / "a.txt", std::string(100'000, 'x'));
        setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY(!failed.ok());
        QVERIFY(failed.error().message.find("a.txt") != std::string::npos);
        QVERIFY(*readText(folder / "a.txt") == "old");
        QCOMPARE(std::distance(fs::directory_iterator(folder.path()), fs::directory_iterator{}), std::ptrdiff_t{1});
    }

    void refusesWhatIsTooLarge() {
        const scenes::Folder folder;
        QVERIFY(writeFile(folder / "big", std::string(5000, 'x')).ok());
        QVERIFY(!readText(folder / "big", 4999).ok());
        QVERIFY(readText(folder / "big", 5000).ok());
    }

    void refusesFoldersAndMissingFiles() {
        const scenes::Folder folder;
        QVERIFY(readText(folder.path()).error().message.find("folder") != std::string::npos);
        QVERIFY(!readText(folder / "none").ok());
    }
};

QTEST_GUILESS_MAIN(FileTest)
#include "file_test.moc"
