#include "core/base/file.h"
#include "core/base/json.h"
#include "core/compare/frame_report.h"
#include "core/image/fits_structure.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "support/scenes.h"

#include <fitsio.h>
#include <fmt/format.h>

#include <zlib.h>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

std::string card(const std::string& text) {
    return (text + std::string(80, ' ')).substr(0, 80);
}
std::string value(const char* key, const std::string& v) {
    return card(fmt::format("{:<8}= {:>20}", key, v));
}

std::string header(const std::string& cards) {
    std::string out = cards + card("END");
    out.resize((out.size() + 2879) / 2880 * 2880, ' ');
    return out;
}

std::string frame(const std::string& axes = "2", const std::string& more = {}, const std::string& width = "16") {
    return header(value("SIMPLE", "T") + value("BITPIX", "16") + value("NAXIS", axes) + value("NAXIS1", width) + value("NAXIS2", "8") + more) +
           std::string(2880, '\1');
}

std::string gzipped(const std::string& bytes, int zerosAfter_MB = 0) {
    z_stream z{};
    deflateInit2(&z, 9, Z_DEFLATED, 31, 8, Z_DEFAULT_STRATEGY);
    std::string out;
    const auto push = [&](const std::string& piece, int flush) {
        z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(piece.data()));
        z.avail_in = static_cast<uInt>(piece.size());
        do {
            char to[65536];
            z.next_out = reinterpret_cast<Bytef*>(to);
            z.avail_out = sizeof to;
            deflate(&z, flush);
            out.append(to, sizeof to - z.avail_out);
        } while (z.avail_out == 0);
    };
    push(bytes, Z_NO_FLUSH);
    const std::string zeros(1 << 20, '\0');
    for (int i = 0; i < zerosAfter_MB; ++i) push(zeros, Z_NO_FLUSH);
    push({}, Z_FINISH);
    deflateEnd(&z);
    return out;
}

} // namespace

class FitsStructureTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

    /// The file as a frame: what is said about it, or empty where it opens.
    std::string said(const char* name, const std::string& bytes) {
        [&] { QVERIFY(writeFile(m_folder / name, bytes).ok()); }();
        const auto file = FrameFile::open(m_folder / name);
        if (file) return {};
        [&] { QVERIFY2(file.error().message.find(name) != std::string::npos, file.error().message.c_str()); }();
        return file.error().message;
    }

private slots:
    void impossibleHeadersAreRefusedBeforeTheLibrarySeesThem_data() {
        QTest::addColumn<QByteArray>("bytes");
        for (const char* axes : {"100", "120", "500", "999", "1000", "-1", "2.5", "99999999999", "'two'", "T"})
            QTest::newRow(fmt::format("NAXIS {}", axes).c_str()) << QByteArray::fromStdString(frame(axes));
        for (const char* width : {"-5", "1e18", "'x'"})
            QTest::newRow(fmt::format("NAXIS1 {}", width).c_str()) << QByteArray::fromStdString(frame("2", {}, width));
        QTest::newRow("NAXIS twice") << QByteArray::fromStdString(frame("2", value("NAXIS", "900")));
        QTest::newRow("no end") << QByteArray::fromStdString(frame().substr(0, 400) + std::string(2480 + 2880, ' '));
        QTest::newRow("cut header") << QByteArray::fromStdString(frame().substr(0, 2000));
        std::string comments;
        for (int i = 0; i < 60'000; ++i) comments += card("COMMENT nothing");
        QTest::newRow("60,000 comments") << QByteArray::fromStdString(frame("2", comments));
        // The primary header is sound, that of the extension is not.
        QTest::newRow("NAXIS 700 in an extension") << QByteArray::fromStdString(
            header(value("SIMPLE", "T") + value("BITPIX", "8") + value("NAXIS", "0")) +
            header(card("XTENSION= 'IMAGE   '") + value("BITPIX", "16") + value("NAXIS", "700") + value("NAXIS1", "16")) + std::string(2880, '\0'));
    }
    void impossibleHeadersAreRefusedBeforeTheLibrarySeesThem() {
        QFETCH(QByteArray, bytes);
        QVERIFY(!said("odd.fits", bytes.toStdString()).empty());
        QVERIFY(!said("odd.fits.gz", gzipped(bytes.toStdString())).empty());
    }

    void soundFramesOpenPlainAndPacked() {
        std::string history;
        for (int i = 0; i < 5000; ++i) history += card("HISTORY one sub more");
        for (const std::string& bytes : {frame(), frame("2", history),
                                         header(value("SIMPLE", "T") + value("BITPIX", "8") + value("NAXIS", "0")) +
                                             header(card("XTENSION= 'IMAGE   '") + value("BITPIX", "16") + value("NAXIS", "2") + value("NAXIS1", "16") +
                                                    value("NAXIS2", "8") + value("PCOUNT", "0") + value("GCOUNT", "1")) +
                                             std::string(2880, '\1')}) {
            QCOMPARE(said("good.fits", bytes), std::string());
            QCOMPARE(said("good.fits.gz", gzipped(bytes)), std::string());
            const auto plain = FrameFile::open(m_folder / "good.fits"), packed = FrameFile::open(m_folder / "good.fits.gz");
            const auto a = plain->readChannel(0), b = packed->readChannel(0);
            QVERIFY(a.ok() && b.ok());
            QVERIFY(std::equal(a->data(), a->data() + a->size(), b->data()));
        }
    }

    void bombsAreStopped() {
        // A small frame with 300 MB behind it: they are not unpacked.
        QCOMPARE(said("tail.fits.gz", gzipped(frame(), 300)), std::string());
        // A frame that claims them.
        const std::string large =
            header(value("SIMPLE", "T") + value("BITPIX", "-32") + value("NAXIS", "2") + value("NAXIS1", "9000") + value("NAXIS2", "9000"));
        const std::string what = said("bomb.fits.gz", gzipped(large, 310));
        QVERIFY2(what.find("would unpack to") != std::string::npos, what.c_str());
        QVERIFY(!said("cut.fits.gz", gzipped(frame()).substr(0, 60)).empty());
        QVERIFY(!said("empty.fits.gz", gzipped("")).empty());
    }

    void compressedPicturesBeyondAllFramesAreRefused() {
        const fs::path path = m_folder / "huge.fits.fz";
        fitsfile* file = nullptr;
        int status = 0;
        long size[2] = {20'000, 20'000};
        fits_create_file(&file, (path.string() + "[compress R 20000,400]").c_str(), &status);
        fits_create_img(file, SHORT_IMG, 2, size, &status);
        fits_close_file(file, &status);
        QCOMPARE(status, 0);
        const auto opened = FrameFile::open(path);
        QVERIFY(!opened.ok());
        QVERIFY2(opened.error().message.find("huge.fits.fz") != std::string::npos, opened.error().message.c_str());
    }

    void wordsOfAHeaderAreText_data() {
        QTest::addColumn<QByteArray>("raw");
        QTest::addColumn<QString>("expected");
        QTest::newRow("latin-1") << QByteArray("Caf\xE9") << QString::fromUtf8("Caf\u00e9");
        QTest::newRow("utf-8") << QByteArray("Caf\xC3\xA9") << QString::fromUtf8("Caf\u00e9");
        QTest::newRow("cut utf-8") << QByteArray("\xC3\xA9toile \xE2\x98") << QString::fromUtf8("\u00e9toile ");
        QTest::newRow("control") << QByteArray("a\x01"
                                               "b")
                                 << QString("a b");
    }
    void wordsOfAHeaderAreText() {
        QFETCH(QByteArray, raw);
        QFETCH(QString, expected);
        std::string more;
        for (const char* key : {"OBJECT", "FILTER", "INSTRUME", "TELESCOP", "IMAGETYP"}) more += card(fmt::format("{:<8}= '", key) + raw.toStdString() + "'");
        QCOMPARE(said("words.fits", frame("2", more)), std::string());
        const auto file = FrameFile::open(m_folder / "words.fits");
        const FrameFacts& f = file->info().facts;
        for (const auto& word : {f.target, f.filter, f.camera, f.telescope, f.frame_kind}) QCOMPARE(QString::fromStdString(word.value_or("")), expected);
        QVERIFY(!jsonText(factsToJson(f)).empty());
    }

    /// What a name holds can make no card of its own.
    void textOfAHeaderStaysInItsCard() {
        Plane p(16, 8, 1);
        QVERIFY(writeFits(m_folder / "cards.fits", {&p},
                          {{"OBJECT", std::string("a\nEND\r\nSIMPLE  =  F"), "b\nc"},
                           {"FILTER", std::string("H\xCE\xB1 7 nm"), ""},
                           {"HISTORY", std::string("one\ntwo"), ""}})
                    .ok());
        const auto bytes = readBytes(m_folder / "cards.fits", 1 << 20);
        for (std::size_t i = 0; i < 2880; ++i) QVERIFY2((*bytes)[i] >= 0x20 && (*bytes)[i] < 0x7F, "a header is printable ASCII");
        const FrameFacts facts = FrameFile::open(m_folder / "cards.fits")->info().facts;
        QCOMPARE(*facts.target, std::string("a END  SIMPLE  =  F"));
        QCOMPARE(*facts.filter, std::string("H? 7 nm"));
    }

    void aTimeIsReadWithItsOffsetAndOtherWordsAreNoTime() {
        for (const auto& [text, utc] : {std::pair{"2026-06-20T20:05:00+02:00", "2026-06-20T18:05:00Z"},
                                        {"2026-06-20T18:05:00.5", "2026-06-20T18:05:00.5Z"},
                                        {"2026-06-20T18:05:00 local", ""},
                                        {"tonight at ten", ""}}) {
            QCOMPARE(said("time.fits", frame("2", card(fmt::format("DATE-OBS= '{}'", text)))), std::string());
            const FrameFacts facts = FrameFile::open(m_folder / "time.fits")->info().facts;
            QCOMPARE(QString::fromStdString(facts.start.value_or("")), QString(utc));
            QCOMPARE(facts.notes.empty(), *utc != 0);
        }
    }
};

QTEST_GUILESS_MAIN(FitsStructureTest)
#include "fits_structure_test.moc"
