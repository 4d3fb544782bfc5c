#include "core/base/file.h"
#include "support/scenes.h"

#include <csignal>
#include <fstream>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

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

    void endingsAreToldInAnyLetters() {
        for (const char* name : {"a.fits", "A.FITS", "/some/dir.old/M8.Fits", "two.parts.fits"}) QCOMPARE(endingOf(name), std::string(".fits"));
        for (const char* name : {"fits", "/dir.fits/none", ".hidden", ""}) QCOMPARE(endingOf(name), std::string());
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

    void whatIsNoFileIsNeitherReadNorReplaced() {
        const scenes::Folder folder;
        QCOMPARE(::mkfifo((folder / "pipe").c_str(), 0600), 0);
        for (const fs::path& odd : {folder / "pipe", folder.path(), fs::path("/dev/zero"), fs::path("/dev/null")}) {
            const auto read = readText(odd); // at once: nothing waits for the other end of a pipe
            QVERIFY(!read.ok() && read.error().message.find(odd.string()) != std::string::npos);
            const Status written = writeFile(odd, "x");
            QVERIFY(!written.ok() && written.error().message.find(odd.string()) != std::string::npos);
        }
        QVERIFY(fs::is_fifo(folder / "pipe"));
    }

    void linksStayLinksAndModesStay() {
        const scenes::Folder folder;
        QVERIFY(writeFile(folder / "real.txt", "old").ok());
        fs::permissions(folder / "real.txt", fs::perms(0640));
        fs::create_symlink("real.txt", folder / "link.txt");
        QVERIFY(writeFile(folder / "link.txt", "new").ok());
        QVERIFY(fs::is_symlink(folder / "link.txt"));
        QCOMPARE(*readText(folder / "real.txt"), std::string("new"));
        QCOMPARE(static_cast<int>(fs::status(folder / "real.txt").permissions()), 0640);
        fs::create_symlink("round.txt", folder / "round.txt");
        QVERIFY(!writeFile(folder / "round.txt", "x").ok());
        fs::permissions(folder / "real.txt", fs::perms(0440));
        QVERIFY2(!writeFile(folder / "real.txt", "x").ok(), "a protected file was replaced");
        QCOMPARE(*readText(folder / "real.txt"), std::string("new"));
    }

    void outputsAreKeptFromInputsAndFromEachOther() {
        const scenes::Folder folder;
        QVERIFY(writeFile(folder / "in", "x").ok());
        fs::create_symlink("in", folder / "soft");
        fs::create_hard_link(folder / "in", folder / "hard");
        fs::create_directory(folder / "sub");
        for (const char* name : {"in", "soft", "hard", "sub/../in"}) QVERIFY2(!keepApart({folder / name}, {folder / "in"}).ok(), name);
        QVERIFY(!keepApart({folder / "out", folder / "sub/../out"}, {}).ok());
        QVERIFY(keepApart({folder / "out", folder / "other", {}, {}}, {folder / "in", {}}).ok());
    }

    void whatTheDeadLeftIsRemovedAndWhatTheLivingWriteStays() {
        const scenes::Folder folder;
        const pid_t child = ::fork();
        if (child == 0) {
            (void)writeThrough(folder / "a.txt", [](const fs::path& part) -> Status {
                std::ofstream(part) << "half" << std::flush;
                ::kill(::getpid(), SIGKILL);
                return Done{};
            });
            ::_exit(0);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        const auto parts = [&] {
            return std::count_if(fs::directory_iterator(folder.path()), {}, [](const fs::directory_entry& e) { return e.path().extension() == ".part"; });
        };
        QCOMPARE(parts(), std::ptrdiff_t{1});
        QVERIFY(writeThrough(folder / "b.txt", [&](const fs::path& part) -> Status {
                    std::ofstream(part) << "whole" << std::flush;
                    const Status inner = writeFile(folder / "c.txt", "x"); // clears the folder while this one is at work
                    return fs::exists(part) ? inner : Status(Error{"the living one was removed"});
                }).ok());
        QCOMPARE(parts(), std::ptrdiff_t{0});
        QCOMPARE(*readText(folder / "b.txt"), std::string("whole"));
    }

    void anExceptionLeavesNothing() {
        const scenes::Folder folder;
        try {
            (void)writeThrough(folder / "a.txt", [](const fs::path& part) -> Status {
                std::ofstream(part) << "half";
                throw std::bad_alloc();
            });
            QFAIL("it was swallowed");
        } catch (const std::bad_alloc&) {
        }
        QVERIFY(fs::is_empty(folder.path()));
    }

    void longNamesWork() {
        const scenes::Folder folder;
        const std::string longest(250, 'n');
        QVERIFY(writeFile(folder.path() / (longest + ".json"), "x").ok());
        QVERIFY(workBeside(folder.path() / (longest + ".fits"), "bands").filename().string().size() <= 255);
        QVERIFY(writeFile(workBeside(folder.path() / (longest + ".fits"), "bands"), "x").ok());
        QCOMPARE(workBeside("a/b.fits", "work"), fs::path("a/b.fits.work"));
    }

    void namesThatLeaveTheirFolderAreTold() {
        for (const char* bad : {"", ".", "..", "../x", "a/b", "/etc", ".hidden", "a\nb", "a\\b", "caf\xE9"}) QVERIFY2(!isPlainName(bad), bad);
        for (const char* good : {"duo7", "Duo 7", "H\xCE\xB1", "a.b", "-x"}) QVERIFY2(isPlainName(good), good);
    }

    void refusesFoldersAndMissingFiles() {
        const scenes::Folder folder;
        QVERIFY(readText(folder.path()).error().message.find("folder") != std::string::npos);
        QVERIFY(!readText(folder / "none").ok());
    }
};

QTEST_GUILESS_MAIN(FileTest)
#include "file_test.moc"
