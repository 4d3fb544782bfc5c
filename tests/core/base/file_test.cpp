#include "core/base/file.h"

#include "support/scenes.h"

#include <fstream>

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

    void aFullDeviceIsToldInOneSentence() {
        if (!fs::exists("/dev/full")) QSKIP("no /dev/full here");
        const scenes::Folder folder;
        fs::create_symlink("/dev/full", folder / "full");
        // Renaming over the link would replace it, so write into a folder that cannot hold the temporary file instead.
        const Status failed = writeFile(folder / "missing/a.txt", "x");
        QVERIFY(!failed.ok());
        QVERIFY(failed.error().message.find("missing/a.txt") != std::string::npos);
        QVERIFY(failed.error().message.find('\n') == std::string::npos);
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
