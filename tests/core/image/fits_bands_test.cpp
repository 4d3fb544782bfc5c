#include "core/base/file.h"
#include "core/base/statistics.h"
#include "core/image/fits_bands.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"

#include <QTemporaryDir>
#include <QTest>

#include <csignal>
#include <sys/resource.h>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

std::vector<Plane> somePlanes(int width, int height, int planes) {
    Random random(8);
    std::vector<Plane> out;
    for (int p = 0; p < planes; ++p) {
        Plane& plane = out.emplace_back(width, height);
        for (std::size_t i = 0; i < plane.size(); ++i) plane.data()[i] = random.uniform() < 0.02 ? kNoData : static_cast<float>(1000 * random.normal());
    }
    return out;
}

Status writeInBands(const fs::path& path, const std::vector<Plane>& planes, const std::vector<HeaderCard>& first, const std::vector<HeaderCard>& last) {
    return writeThrough(path, [&](const fs::path& part) -> Status {
        const Plane& like = planes.front();
        auto writer = FitsBandWriter::create(part, path, like.width(), like.height(), static_cast<int>(planes.size()), first);
        if (!writer) return writer.error();
        for (int y = 60; y >= 0; y -= 20) // any order will do
            for (std::size_t p = planes.size(); p-- > 0;)
                if (y < like.height())
                    if (const Status written = writer->write(static_cast<int>(p), y, std::min(20, like.height() - y), planes[p].row(y)); !written)
                        return written;
        return writer->finish(last);
    });
}

std::string bytesOf(const fs::path& path) {
    return *readBytes(path, 1 << 24);
}

} // namespace

class FitsBandsTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;
    fs::path at(const char* name) const { return fs::path(m_folder.path().toStdString()) / name; }

private slots:
    // Piece by piece or at once: the same pixels, and the same header but for the room that bands leave for more.
    void bandsMakeTheFileThatIsWrittenAtOnce_data() {
        QTest::addColumn<int>("planes");
        QTest::addColumn<int>("last");
        QTest::newRow("one plane") << 1 << 0;
        QTest::newRow("three") << 3 << 5;
        QTest::newRow("more cards than there is room for") << 3 << 130;
    }
    void bandsMakeTheFileThatIsWrittenAtOnce() {
        QFETCH(int, planes);
        QFETCH(int, last);
        const auto pixels = somePlanes(97, 71, planes);
        const std::vector<HeaderCard> first{
            {"FILTER", std::string("Dry Ridge \xc3\xa9 7 nm"), "what it was taken through"}, {"NCOMBINE", 12LL, ""}, {"TOTALEXP", 3600.5, "s"}};
        std::vector<HeaderCard> more, all = first;
        for (int i = 0; i < last; ++i) more.push_back({"HISTORY", "step " + std::to_string(i), ""});
        all.insert(all.end(), more.begin(), more.end());
        std::vector<const Plane*> pointers;
        for (const Plane& p : pixels) pointers.push_back(&p);
        const fs::path bands = at("bands.fits"), once = at("once.fits");
        QVERIFY(writeInBands(bands, pixels, first, more).ok());
        QVERIFY(writeFits(once, pointers, all).ok());
        const auto cards = [](const std::string& bytes) { // but for blank ones; and where the pixels begin
            std::vector<std::string> out;
            std::size_t at = 0;
            for (; std::string_view(bytes).substr(at, 8) != "END     "; at += 80)
                if (bytes.find_first_not_of(' ', at) < at + 80) out.push_back(bytes.substr(at, 80));
            return std::pair(out, (at / 2880 + 1) * 2880);
        };
        const std::string a = bytesOf(bands), b = bytesOf(once);
        const auto [ours, oursFrom] = cards(a);
        const auto [theirs, theirsFrom] = cards(b);
        QVERIFY(ours == theirs);
        QVERIFY(a.substr(oursFrom) == b.substr(theirsFrom));
        const auto file = FrameFile::open(bands);
        QVERIFY(file.ok());
        QCOMPARE(file->info().channels.size(), static_cast<std::size_t>(planes));
        for (std::size_t p = 0; p < pixels.size(); ++p) {
            const auto read = file->readChannel(p);
            QVERIFY(read.ok());
            for (std::size_t i = 0; i < read->size(); ++i)
                QVERIFY(read->data()[i] == pixels[p].data()[i] || (std::isnan(read->data()[i]) && std::isnan(pixels[p].data()[i])));
        }
    }

    void aFolderThatIsNotThereIsNamed() {
        const auto writer = FitsBandWriter::create(at("none") / "part", at("none") / "stack.fits", 10, 10, 1, {});
        QVERIFY(!writer.ok());
        QVERIFY2(writer.error().message.find("stack.fits could not be written (No such file") != std::string::npos, writer.error().message.c_str());
    }

    // A limit of the file's size stands for a full disk: the sentence says why, and nothing is left.
    void aFullDiskIsTold() {
        const auto pixels = somePlanes(97, 71, 1);
        const fs::path path = at("full.fits");
        rlimit before{};
        getrlimit(RLIMIT_FSIZE, &before);
        std::signal(SIGXFSZ, SIG_IGN);
        const rlimit small{8000, before.rlim_max};
        setrlimit(RLIMIT_FSIZE, &small);
        const Status refused = writeInBands(path, pixels, {}, {});
        setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY(!refused.ok());
        QVERIFY2(refused.error().message.find("full.fits could not be written (File too large)") != std::string::npos, refused.error().message.c_str());
        for (const auto& left : fs::directory_iterator(path.parent_path())) QVERIFY(left.path().filename().string().find("full") == std::string::npos);
    }
};

QTEST_GUILESS_MAIN(FitsBandsTest)
#include "fits_bands_test.moc"
