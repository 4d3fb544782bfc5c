#include "core/base/file_view.h"
#include "support/scenes.h"

#include <array>
#include <fcntl.h>
#include <fstream>
#include <string>
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

constexpr std::size_t kPages = 40, kBytes = kPages * 4096 + 100;

OpenFile opened(const fs::path& path) {
    return OpenFile(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
}

} // namespace

class FileViewTest : public QObject {
    Q_OBJECT

    const scenes::Folder m_folder;
    const fs::path m_path = m_folder / "frame";
    std::string m_text;

private slots:
    void init() {
        m_text.clear();
        for (std::size_t i = 0; i < kBytes; ++i) m_text += static_cast<char>(1 + i * 31 % 251);
        std::ofstream(m_path, std::ios::binary) << m_text;
    }

    void seesWhatIsReadFromAnyPlace() {
        const OpenFile file = opened(m_path);
        for (const std::size_t at : {std::size_t{0}, std::size_t{5}, std::size_t{4096}, std::size_t{70'001}})
            for (const std::size_t n : {std::size_t{1}, std::size_t{4096}, kBytes - at}) {
                const auto view = FileView::of(file, static_cast<long long>(at), n);
                QVERIFY(view && std::string_view(view->data(), n) == std::string_view(m_text).substr(at, n));
                QVERIFY(view->isWhole());
            }
    }

    void whatWasGivenBackCanBeReadAgain() {
        const OpenFile file = opened(m_path);
        const auto view = FileView::of(file, 100, kBytes - 100);
        QVERIFY(view && std::string_view(view->data(), kBytes - 100) == std::string_view(m_text).substr(100));
        for (std::size_t from = 0; from + 9'000 < kBytes - 100; from += 9'000) view->release(from, 9'000);
        QVERIFY(std::string_view(view->data(), kBytes - 100) == std::string_view(m_text).substr(100));
        QVERIFY(view->isWhole());
    }

    /// Somebody else cuts the file short while it is read: in the middle of its pages, and within the last one, of which no signal tells.
    void aFileCutShortMeanwhileIsToldAndKillsNobody() {
        for (const std::size_t left : {std::size_t{3} * 4096, kBytes - 50}) {
            init();
            const OpenFile file = opened(m_path);
            const auto view = FileView::of(file, 0, kBytes), other = FileView::of(file, 0, 4096);
            QVERIFY(view && other && view->data()[0] == m_text[0]);
            fs::resize_file(m_path, left);
            const std::string seen(view->data(), kBytes);
            QVERIFY(std::string_view(seen).substr(0, left) == std::string_view(m_text).substr(0, left));
            QCOMPARE(seen.find_first_not_of('\0', left), std::string::npos);
            QVERIFY(!view->isWhole());
            QVERIFY(other->isWhole()); // its part is there
        }
    }

    void onlySoManyAtATime() {
        const OpenFile file = opened(m_path);
        std::vector<FileView> views;
        while (views.size() < 1000) {
            auto view = FileView::of(file, 0, kBytes);
            if (!view) break;
            views.push_back(std::move(*view));
        }
        QVERIFY(views.size() > 3 && views.size() < 1000);
        for (const FileView& v : views) QVERIFY(std::string_view(v.data(), kBytes) == m_text && v.isWhole());
        views.pop_back();
        QVERIFY(FileView::of(file, 0, kBytes).has_value());
    }

    void whatIsNoFileIsNotSeen() {
        QVERIFY(!FileView::of(OpenFile(-1), 0, 10));
        const OpenFile file = opened(m_path);
        QVERIFY(!FileView::of(file, -1, 10) && !FileView::of(file, 0, 0));
        std::array<int, 2> ends{};
        QVERIFY(::pipe(ends.data()) == 0);
        const OpenFile one(ends[0]), other(ends[1]);
        QVERIFY(!FileView::of(one, 0, 10));
    }

    /// The same signal for another reason ends the program as it always did.
    void signalsOfOthersAreTheirs() {
        const OpenFile file = opened(m_path);
        QVERIFY(FileView::of(file, 0, kBytes).has_value());
        const pid_t child = ::fork();
        if (child == 0) {
            ::close(STDERR_FILENO); // a sanitizer would have its say
            const auto* const beyond = static_cast<const volatile char*>(::mmap(nullptr, 4096 * kPages * 2, PROT_READ, MAP_SHARED, file.number(), 0));
            [[maybe_unused]] const char c = beyond[4096 * (kPages + 5)];
            ::_exit(0);
        }
        int how = 0;
        QCOMPARE(::waitpid(child, &how, 0), child);
        QVERIFY(WIFSIGNALED(how) || WEXITSTATUS(how) != 0);
    }
};

QTEST_GUILESS_MAIN(FileViewTest)
#include "file_view_test.moc"
