#include "core/base/file.h"
#include "core/base/file_view.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "support/scenes.h"

#include <fitsio.h>

#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <iterator>
#include <limits>
#include <random>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

/// Writes any kind of FITS image with the library itself.
struct Raw {
    int bitpix = SHORT_IMG;
    std::vector<long> size{40, 30};
    std::vector<std::pair<std::string, std::string>> cards; ///< raw values, strings with quotes
    bool laterHdu = false;
    int compression = 0; ///< RICE_1 and so on
    double zero = 0, scale = 1;
};

void writeRaw(const fs::path& path, const Raw& raw, const std::vector<double>& values) {
    int status = 0;
    fitsfile* f = nullptr;
    fits_create_file(&f, ("!" + path.string()).c_str(), &status);
    if (raw.laterHdu) fits_create_img(f, BYTE_IMG, 0, nullptr, &status);
    if (raw.compression != 0) fits_set_compression_type(f, raw.compression, &status);
    auto size = raw.size;
    fits_create_img(f, raw.bitpix, static_cast<int>(size.size()), size.data(), &status);
    if (raw.scale != 1 || raw.zero != 0) {
        double scale = raw.scale, zero = raw.zero;
        fits_update_key(f, TDOUBLE, "BSCALE", &scale, nullptr, &status);
        fits_update_key(f, TDOUBLE, "BZERO", &zero, nullptr, &status);
        fits_set_bscale(f, scale, zero, &status);
    }
    for (const auto& [key, value] : raw.cards) {
        std::string card = key + std::string(8 - key.size(), ' ') + "= " + value;
        fits_write_record(f, card.c_str(), &status);
    }
    auto copy = values;
    std::vector<short> shorts(values.begin(), values.end()); // compression takes each kind as itself
    std::vector<float> floats(values.begin(), values.end());
    if (raw.compression != 0 && raw.bitpix > 0)
        fits_write_img(f, TSHORT, 1, static_cast<LONGLONG>(shorts.size()), shorts.data(), &status);
    else if (raw.compression != 0)
        fits_write_img(f, TFLOAT, 1, static_cast<LONGLONG>(floats.size()), floats.data(), &status);
    else
        fits_write_img(f, TDOUBLE, 1, static_cast<LONGLONG>(copy.size()), copy.data(), &status);
    fits_close_file(f, &status);
    QCOMPARE(status, 0);
}

std::vector<double> ramp(std::size_t n) {
    std::vector<double> v(n);
    for (std::size_t i = 0; i < n; ++i) v[i] = static_cast<double>(i % 251) + 5;
    return v;
}

} // namespace

class FitsReaderTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

private slots:
    void everyPixelKindReadsBack_data() {
        QTest::addColumn<int>("bitpix");
        QTest::addColumn<double>("zero");
        QTest::addColumn<int>("bits");
        QTest::newRow("8 bit") << BYTE_IMG << 0.0 << 8;
        QTest::newRow("16 bit signed") << SHORT_IMG << 0.0 << 16;
        QTest::newRow("16 bit unsigned by BZERO") << USHORT_IMG << 0.0 << 16;
        QTest::newRow("32 bit") << LONG_IMG << 0.0 << 32;
        QTest::newRow("float") << FLOAT_IMG << 0.0 << 32;
        QTest::newRow("double") << DOUBLE_IMG << 0.0 << 64;
    }
    void everyPixelKindReadsBack() {
        QFETCH(int, bitpix);
        QFETCH(int, bits);
        Raw raw;
        raw.bitpix = bitpix;
        const auto values = ramp(1200);
        writeRaw(m_folder / "k.fits", raw, values);
        const auto file = FrameFile::open(m_folder / "k.fits");
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        QCOMPARE(file->info().width, 40);
        QCOMPARE(file->info().height, 30);
        QCOMPARE(file->info().bits, bits);
        QCOMPARE(file->info().channels, std::vector<std::string>{"L"});
        const auto plane = file->readChannel(0);
        QVERIFY(plane.ok());
        QCOMPARE(plane->at(3, 2), static_cast<float>(values[83]));
        QCOMPARE(plane->at(39, 29), static_cast<float>(values[1199]));
    }

    void scalingIsApplied() {
        Raw raw;
        raw.scale = 0.5;
        raw.zero = 1000;
        std::vector<double> values(1200, 1250.5);
        writeRaw(m_folder / "s.fits", raw, values);
        QCOMPARE(FrameFile::open(m_folder / "s.fits")->readChannel(0)->at(5, 5), 1250.5F);
    }

    void threePlanesAreRedGreenBlue() {
        Raw raw;
        raw.bitpix = FLOAT_IMG;
        raw.size = {40, 30, 3};
        auto values = ramp(3600);
        for (std::size_t i = 0; i < values.size(); ++i) values[i] += 1000.0 * static_cast<double>(i / 1200);
        writeRaw(m_folder / "c.fits", raw, values);
        const auto file = FrameFile::open(m_folder / "c.fits");
        QCOMPARE(file->info().channels, (std::vector<std::string>{"R", "G", "B"}));
        for (std::size_t c = 0; c < 3; ++c) QCOMPARE(file->readChannel(c)->at(1, 0), static_cast<float>(values[1200 * c + 1]));
    }

    /// The largest value as it is stored, whatever it becomes on the way; what is no number is passed over.
    void theTopIsTheStoredOne() {
        Raw raw;
        raw.bitpix = FLOAT_IMG;
        raw.size = {40, 30, 3};
        auto values = ramp(3600);
        for (double& v : values) v = -std::abs(v) - 1;
        values[700] = std::numeric_limits<double>::infinity(), values[701] = std::numeric_limits<double>::quiet_NaN(), values[1100] = 0.25;
        writeRaw(m_folder / "t.fits", raw, values);
        const auto file = FrameFile::open(m_folder / "t.fits");
        SeenOnTheWay seen;
        const auto plane = file->readChannel(0, {}, {0.5F, 4.0F}, &seen);
        QCOMPARE(seen.top, 0.25F);
        QCOMPARE(plane->at(1100 % 40, 1100 / 40), -1.0F);
        QVERIFY(file->readChannel(1, {}, {}, &seen).ok());
        QCOMPARE(seen.top, static_cast<float>(*std::max_element(values.begin() + 1200, values.begin() + 2400)));
    }

    /// Whatever the pixels are stored as and scaled by; a mosaic's channel is no whole plane.
    void extremesAreThoseOfTheChannel_data() {
        QTest::addColumn<int>("bitpix");
        QTest::addColumn<float>("factor");
        for (const int bitpix : {FLOAT_IMG, SHORT_IMG, DOUBLE_IMG})
            for (const float factor : {1.0F, 0.37F, -2.0F}) QTest::addRow("%d times %g", bitpix, static_cast<double>(factor)) << bitpix << factor;
    }
    void extremesAreThoseOfTheChannel() {
        QFETCH(int, bitpix);
        QFETCH(float, factor);
        Raw raw;
        raw.bitpix = bitpix;
        raw.size = {167, 90, 3};
        std::vector<double> values;
        Random random(44);
        for (int i = 0; i < 167 * 90 * 3; ++i) values.push_back(std::round(300 + 40 * random.normal()));
        if (bitpix == FLOAT_IMG) values[400] = std::nan(""), values[700] = std::numeric_limits<double>::infinity();
        writeRaw(m_folder / "e.fits", raw, values);
        const auto file = FrameFile::open(m_folder / "e.fits");
        SeenOnTheWay seen;
        const auto plane = file->readChannel(0, {}, {12.5F, factor}, &seen);
        QVERIFY(plane.ok());
        QCOMPARE(seen.extremes.stretches(), 3);
        for (int y = 0; y < 90; ++y)
            for (int k = 0; k < 3; ++k) {
                float low = std::numeric_limits<float>::infinity(), high = -low;
                bool whole = true;
                for (int x = k * rows::kStretch; x < std::min(167, (k + 1) * rows::kStretch); ++x) {
                    whole = whole && values[static_cast<std::size_t>(y * 167 + x)] < 1e9;
                    if (const float v = plane->at(x, y); std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
                }
                QVERIFY(seen.extremes.lows(y)[k] <= low && seen.extremes.highs(y)[k] >= high);
                if (whole) QVERIFY(seen.extremes.lows(y)[k] == low && seen.extremes.highs(y)[k] == high);
            }
        raw.size = {40, 30};
        raw.bitpix = SHORT_IMG;
        writeRaw(m_folder / "e1.fits", raw, ramp(1200));
        const auto mosaic = FrameFile::open(m_folder / "e1.fits", "RGGB");
        QVERIFY(mosaic->readChannel(1, {}, {}, &seen).ok());
        QVERIFY(seen.extremes.empty());
    }

    void theImageMayStandInALaterExtensionOrBeCompressed() {
        Raw raw;
        raw.laterHdu = true;
        raw.cards = {{"EXPTIME", "120.0"}};
        writeRaw(m_folder / "l.fits", raw, ramp(1200));
        const auto later = FrameFile::open(m_folder / "l.fits");
        QVERIFY(later.ok());
        QCOMPARE(*later->info().facts.sub_exposure_s, 120.0);
        raw.laterHdu = false;
        raw.compression = RICE_1;
        writeRaw(m_folder / "z.fits.fz", raw, ramp(1200));
        const auto packed = FrameFile::open(m_folder / "z.fits.fz");
        QVERIFY2(packed.ok(), packed.ok() ? "" : packed.error().message.c_str());
        QCOMPARE(packed->info().width, 40);
        QCOMPARE(packed->readChannel(0)->at(3, 2), static_cast<float>(ramp(1200)[83]));
        QCOMPARE(*packed->info().facts.sub_exposure_s, 120.0);
    }

    void everyCompressionUnpacks_data() {
        QTest::addColumn<int>("compression");
        QTest::addColumn<int>("bitpix");
        QTest::newRow("rice") << RICE_1 << SHORT_IMG;
        QTest::newRow("gzip") << GZIP_1 << SHORT_IMG;
        QTest::newRow("gzip, shuffled") << GZIP_2 << SHORT_IMG;
        QTest::newRow("hcompress") << HCOMPRESS_1 << SHORT_IMG;
        QTest::newRow("plio") << PLIO_1 << SHORT_IMG;
        QTest::newRow("floats, quantised") << RICE_1 << FLOAT_IMG;
    }

    void everyCompressionUnpacks() {
        QFETCH(int, compression);
        QFETCH(int, bitpix);
        Raw raw;
        raw.bitpix = bitpix;
        raw.compression = compression;
        raw.size = {40, 30, 3};
        writeRaw(m_folder / "packed.fits", raw, ramp(3600));
        const auto file = FrameFile::open(m_folder / "packed.fits");
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        // Quantised floats are kept to a quarter of the noise, which a ramp of 1 a pixel makes of the order of 1.
        const std::vector<double> expected = ramp(3600);
        const double tolerance = bitpix < 0 ? 1.0 : 0.0;
        for (std::size_t c = 0; c < 3; ++c) {
            const auto plane = file->readChannel(c);
            QVERIFY2(plane.ok(), plane.ok() ? "" : plane.error().message.c_str());
            for (std::size_t i = 0; i < plane->size(); ++i) QVERIFY(std::abs(static_cast<double>(plane->data()[i]) - expected[1200 * c + i]) <= tolerance);
        }
    }

    // Whatever the unpacking does with such data happens in a process of its own.
    void damagedCompressedDataIsASentence() {
        std::mt19937 random(7);
        int refused = 0;
        for (const int compression : {RICE_1, HCOMPRESS_1, PLIO_1, GZIP_1}) {
            Raw raw;
            raw.compression = compression;
            raw.size = {200, 120};
            writeRaw(m_folder / "whole.fits", raw, ramp(24000));
            std::ifstream in(m_folder / "whole.fits", std::ios::binary);
            const std::vector<char> whole((std::istreambuf_iterator<char>(in)), {});
            for (int trial = 0; trial < 8; ++trial) {
                auto bytes = whole;
                // The heap of packed tiles fills the end of the file.
                for (int n = 0; n < 200; ++n) bytes[bytes.size() / 2 + random() % (bytes.size() / 2)] = static_cast<char>(trial % 2 ? random() : 0);
                std::ofstream(m_folder / "damaged.fits", std::ios::binary).write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
                const auto file = FrameFile::open(m_folder / "damaged.fits");
                if (!file) continue;
                const auto plane = file->readChannel(0);
                if (plane) continue;
                ++refused;
                QVERIFY2(plane.error().message.find("damaged.fits cannot be unpacked; the file is damaged") != std::string::npos,
                         plane.error().message.c_str());
            }
        }
        QVERIFY2(refused >= 8, qPrintable(QString::number(refused))); // many changes only make wrong pixels
    }

    /// Rates made while reading are those made afterwards, and what is no data stays so: rims of zeros, whatever zero becomes, and infinities.
    void valuesAreRescaledOnTheWay_data() {
        QTest::addColumn<int>("bitpix");
        QTest::addColumn<QString>("mosaic");
        QTest::newRow("floats") << FLOAT_IMG << "";
        QTest::newRow("words") << USHORT_IMG << "";
        QTest::newRow("a mosaic") << USHORT_IMG << "'RGGB    '";
        QTest::newRow("doubles") << DOUBLE_IMG << "";
    }
    void valuesAreRescaledOnTheWay() {
        QFETCH(int, bitpix);
        QFETCH(QString, mosaic);
        Raw raw;
        raw.bitpix = bitpix;
        if (!mosaic.isEmpty()) raw.cards = {{"BAYERPAT", mosaic.toStdString()}};
        auto values = ramp(1200);
        for (std::size_t i = 0; i < values.size(); ++i)
            if (i % 40 < 10) values[i] = 0; // a rim
        values[20] = 0;                     // a lone zero
        if (bitpix == FLOAT_IMG) values[777] = std::numeric_limits<double>::infinity();
        writeRaw(m_folder / "r.fits", raw, values);
        const auto file = FrameFile::open(m_folder / "r.fits");
        for (std::size_t c = 0; c < file->info().channels.size(); ++c) {
            auto later = file->readChannel(c), onTheWay = file->readChannel(c, {}, {103.5F, 0.37F});
            QVERIFY(later.ok() && onTheWay.ok());
            rows::scale(later->data(), static_cast<std::int64_t>(later->size()), 103.5F, 0.37F);
            int missing = 0;
            for (std::size_t i = 0; i < later->size(); ++i) {
                const float a = later->data()[i], b = onTheWay->data()[i];
                QCOMPARE(std::isnan(b), std::isnan(a));
                if (std::isnan(a))
                    ++missing;
                else
                    QVERIFY(std::abs(a - b) < 1e-4F);
            }
            QVERIFY(missing >= (mosaic.isEmpty() ? 300 : 75));
            if (mosaic.isEmpty()) QVERIFY(!std::isnan(onTheWay->data()[20]));
            if (bitpix == FLOAT_IMG) QVERIFY(std::isnan(onTheWay->data()[777]));
        }
    }

    void mosaicsComeApartIntoTheirColours() {
        Raw raw;
        raw.cards = {{"BAYERPAT", "'GRBG    '"}};
        std::vector<double> values(1200);
        for (std::size_t i = 0; i < values.size(); ++i) {
            const std::size_t x = i % 40, y = i / 40;
            values[i] = y % 2 == 0 ? (x % 2 == 0 ? 20 : 10) : (x % 2 == 0 ? 30 : 22); // G R / B G
        }
        writeRaw(m_folder / "m.fits", raw, values);
        const auto file = FrameFile::open(m_folder / "m.fits");
        QVERIFY(file->info().mosaic.has_value());
        QCOMPARE(file->readChannel(0)->at(4, 4), 10.0F);
        QCOMPARE(file->readChannel(1)->at(4, 4), 21.0F);
        QCOMPARE(file->readChannel(2)->at(4, 4), 30.0F);
        QCOMPARE(file->info().geometry(0).toStored({0, 0}).x, 1.0);
    }

    void bracketsInNamesAreNames() {
        writeRaw(m_folder / "plain.fits", {}, ramp(1200));
        fs::rename(m_folder / "plain.fits", m_folder / "sub[1:2,3].fits");
        QVERIFY(FrameFile::open(m_folder / "sub[1:2,3].fits").ok());
    }

    /// Floats are seen where the system holds them; where it lets nobody see more, they are read, and are the same.
    void floatsSeenAndReadAreTheSame() {
        Raw raw;
        raw.bitpix = -32;
        raw.size = {401, 301, 3};
        std::vector<double> values = ramp(401 * 301 * 3);
        for (std::size_t i = 0; i < values.size(); i += 1013) values[i] = 0;
        for (std::size_t i = 7; i < values.size(); i += 1511) values[i] = i % 2 ? std::numeric_limits<double>::infinity() : std::nan("");
        for (std::size_t y = 0; y < 301; ++y)
            for (std::size_t x = 0; x < 6; ++x) values[y * 401 + x] = 0; // a rim
        const fs::path path = m_folder / "floats.fits";
        writeRaw(path, raw, values);
        const auto file = FrameFile::open(path);
        QVERIFY(file.ok());
        const auto read = [&](std::size_t c, float& top) {
            SeenOnTheWay onTheWay;
            auto plane = file->readChannel(c, {}, {12.5F, 0.3F}, &onTheWay);
            top = onTheWay.top;
            return plane;
        };
        for (std::size_t c = 0; c < 3; ++c) {
            float top = 0, otherTop = 0;
            const auto seen = read(c, top);
            const OpenFile same(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
            std::vector<FileView> all;
            while (auto view = FileView::of(same, 0, 4096)) all.push_back(std::move(*view));
            const auto other = read(c, otherTop);
            QVERIFY(seen.ok() && other.ok() && !all.empty());
            QVERIFY(std::memcmp(seen->data(), other->data(), seen->size() * sizeof(float)) == 0);
            QCOMPARE(top, otherTop);
            QCOMPARE(std::isnan(seen->at(3, 100)), c == 0);
        }
    }

    void badFilesGiveOneSentenceThatNamesThem_data() {
        QTest::addColumn<QString>("fault");
        for (const char* fault : {"truncated", "header-only", "text", "empty", "folder", "missing", "four-planes", "no-image", "absurd-size"})
            QTest::newRow(fault) << QString(fault);
    }
    void badFilesGiveOneSentenceThatNamesThem() {
        QFETCH(QString, fault);
        const fs::path path = m_folder / (fault.toStdString() + ".fits").c_str();
        Raw raw;
        if (fault == "truncated" || fault == "header-only") {
            raw.size = {400, 300};
            writeRaw(path, raw, ramp(120000));
            fs::resize_file(path, fault == "truncated" ? 100'000 : 2000);
        } else if (fault == "text") {
            std::ofstream(path) << "this is no picture";
        } else if (fault == "empty") {
            std::ofstream make(path);
        } else if (fault == "folder") {
            fs::create_directory(path);
        } else if (fault == "four-planes") {
            raw.size = {20, 15, 4};
            writeRaw(path, raw, ramp(1200));
        } else if (fault == "no-image") {
            int status = 0;
            fitsfile* f = nullptr;
            fits_create_file(&f, ("!" + path.string()).c_str(), &status);
            fits_create_img(f, BYTE_IMG, 0, nullptr, &status);
            fits_close_file(f, &status);
        } else if (fault == "absurd-size") {
            std::string header;
            for (const char* card : {"SIMPLE  =                    T", "BITPIX  =                   16", "NAXIS   =                    2",
                                     "NAXIS1  =               900000", "NAXIS2  =               900000", "END"})
                header += std::string(card) + std::string(80 - std::strlen(card), ' ');
            header += std::string(2880 - header.size(), ' ');
            std::ofstream(path) << header;
        }
        const auto file = FrameFile::open(path);
        std::string sentence = file.ok() ? std::string() : file.error().message;
        if (file.ok()) {
            const auto plane = file->readChannel(0);
            QVERIFY(!plane.ok());
            sentence = plane.error().message;
        }
        QVERIFY2(sentence.find(path.filename().string()) != std::string::npos, sentence.c_str());
        QVERIFY(sentence.find('\n') == std::string::npos);
        QVERIFY(sentence.back() == '.');
    }

    void writingKeepsValuesFactsAndNaN() {
        Plane plane(50, 40, 7.5F);
        plane.at(10, 10) = kNoData;
        QVERIFY(writeFits(m_folder / "w.fits", {&plane}, {{"EXPTIME", 90.0, "s"}, {"NCOMBINE", 12LL, ""}, {"FILTER", std::string("Twinline 7"), ""}}).ok());
        const auto file = FrameFile::open(m_folder / "w.fits");
        QCOMPARE(*file->info().facts.sub_exposure_s, 90.0);
        QCOMPARE(*file->info().facts.sub_count, 12);
        QCOMPARE(*file->info().facts.filter, std::string("Twinline 7"));
        const auto back = file->readChannel(0);
        QCOMPARE(back->at(1, 1), 7.5F);
        QVERIFY(std::isnan(back->at(10, 10)));
    }

    /// The end of a gzipped file tells how much memory is asked for: four gigabytes for fifteen bytes are refused before.
    void gzipClaimsAreCheckedBeforeMemoryIsAsked() {
        const std::string packed("\x1f\x8b\x08\x00\x00\x00\x00\x00\x00\x03\x00\x00\x00\x00\x00\x00\x10\x20\xde\xf4", 20);
        QVERIFY(writeFile(m_folder / "claim.fits.gz", packed).ok());
        const auto file = FrameFile::open(m_folder / "claim.fits.gz");
        QVERIFY(!file.ok() && file.error().message.find("claim.fits.gz") != std::string::npos && file.error().message.find("cut short") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(FitsReaderTest)
#include "fits_reader_test.moc"
