#include "core/image/frame_file.h"
#include "support/scenes.h"

#include <tiffio.h>

#include <cstring>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

/// Value of a made-up picture: differs in x, y and channel.
double valueAt(int x, int y, int c) {
    return 3 + x + 2 * y + 40 * c;
}

struct Made {
    std::uint16_t bits = 16, format = SAMPLEFORMAT_UINT, samples = 1, planar = PLANARCONFIG_CONTIG, compression = COMPRESSION_NONE;
    bool tiled = false;
};

template<class T>
void fillRow(std::vector<std::uint8_t>& row, int w, int y, int first, int samples) {
    row.resize(static_cast<std::size_t>(w * samples) * sizeof(T));
    for (int x = 0; x < w; ++x)
        for (int c = 0; c < samples; ++c) {
            const T v = static_cast<T>(valueAt(x, y, first + c));
            std::memcpy(row.data() + static_cast<std::size_t>(x * samples + c) * sizeof(T), &v, sizeof v);
        }
}

void fill(std::vector<std::uint8_t>& row, const Made& m, int w, int y, int first, int samples) {
    if (m.format == SAMPLEFORMAT_IEEEFP)
        m.bits == 64 ? fillRow<double>(row, w, y, first, samples) : fillRow<float>(row, w, y, first, samples);
    else if (m.bits == 8)
        fillRow<std::uint8_t>(row, w, y, first, samples);
    else if (m.bits == 16)
        fillRow<std::uint16_t>(row, w, y, first, samples);
    else
        fillRow<std::uint32_t>(row, w, y, first, samples);
}

void write(const fs::path& path, const Made& m, int w = 40, int h = 30) {
    TIFF* t = TIFFOpen(path.c_str(), "w");
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, w);
    TIFFSetField(t, TIFFTAG_IMAGELENGTH, h);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, m.bits);
    TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, m.format);
    TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, m.samples);
    TIFFSetField(t, TIFFTAG_PLANARCONFIG, m.planar);
    TIFFSetField(t, TIFFTAG_COMPRESSION, m.compression);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC, m.samples == 1 ? PHOTOMETRIC_MINISBLACK : PHOTOMETRIC_RGB);
    const bool apart = m.planar == PLANARCONFIG_SEPARATE;
    std::vector<std::uint8_t> row;
    if (m.tiled) {
        TIFFSetField(t, TIFFTAG_TILEWIDTH, 16);
        TIFFSetField(t, TIFFTAG_TILELENGTH, 16);
        std::vector<std::uint8_t> tile(static_cast<std::size_t>(TIFFTileSize(t)));
        for (int y = 0; y < h; y += 16)
            for (int x = 0; x < w; x += 16) {
                for (int r = 0; r < 16; ++r)
                    for (int k = 0; k < 16; ++k) {
                        const auto v = static_cast<std::uint16_t>(valueAt(x + k, y + r, 0));
                        std::memcpy(tile.data() + (r * 16 + k) * 2, &v, 2);
                    }
                TIFFWriteTile(t, tile.data(), static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y), 0, 0);
            }
    } else {
        TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, 7);
        for (int c = 0; c < (apart ? m.samples : 1); ++c)
            for (int y = 0; y < h; ++y) {
                fill(row, m, w, y, c, apart ? 1 : m.samples);
                TIFFWriteScanline(t, row.data(), static_cast<std::uint32_t>(y), static_cast<std::uint16_t>(c));
            }
    }
    TIFFClose(t);
}

} // namespace

class TiffReaderTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

private slots:
    void valuesAreRescaledOnTheWay() {
        Made m;
        write(m_folder / "r.tif", m);
        const auto file = FrameFile::open(m_folder / "r.tif");
        const auto plane = file->readChannel(0, {}, {3, 0.5F});
        QVERIFY(plane.ok());
        QCOMPARE(plane->at(10, 20), static_cast<float>(0.5 * (valueAt(10, 20, 0) - 3)));
    }

    void everyKindReadsBack_data() {
        QTest::addColumn<int>("bits");
        QTest::addColumn<int>("format");
        QTest::addColumn<int>("samples");
        QTest::addColumn<int>("planar");
        QTest::addColumn<bool>("tiled");
        QTest::newRow("8 grey") << 8 << int(SAMPLEFORMAT_UINT) << 1 << int(PLANARCONFIG_CONTIG) << false;
        QTest::newRow("16 grey") << 16 << int(SAMPLEFORMAT_UINT) << 1 << int(PLANARCONFIG_CONTIG) << false;
        QTest::newRow("16 tiled") << 16 << int(SAMPLEFORMAT_UINT) << 1 << int(PLANARCONFIG_CONTIG) << true;
        QTest::newRow("16 colour") << 16 << int(SAMPLEFORMAT_UINT) << 3 << int(PLANARCONFIG_CONTIG) << false;
        QTest::newRow("16 colour apart") << 16 << int(SAMPLEFORMAT_UINT) << 3 << int(PLANARCONFIG_SEPARATE) << false;
        QTest::newRow("32 colour") << 32 << int(SAMPLEFORMAT_UINT) << 3 << int(PLANARCONFIG_CONTIG) << false;
        QTest::newRow("float colour") << 32 << int(SAMPLEFORMAT_IEEEFP) << 3 << int(PLANARCONFIG_CONTIG) << false;
        QTest::newRow("double grey") << 64 << int(SAMPLEFORMAT_IEEEFP) << 1 << int(PLANARCONFIG_CONTIG) << false;
    }
    void everyKindReadsBack() {
        QFETCH(int, bits);
        QFETCH(int, format);
        QFETCH(int, samples);
        QFETCH(int, planar);
        QFETCH(bool, tiled);
        Made m;
        m.bits = static_cast<std::uint16_t>(bits);
        m.format = static_cast<std::uint16_t>(format);
        m.samples = static_cast<std::uint16_t>(samples);
        m.planar = static_cast<std::uint16_t>(planar);
        m.tiled = tiled;
        write(m_folder / "a.tif", m);
        const auto file = FrameFile::open(m_folder / "a.tif");
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        QCOMPARE(file->info().channels.size(), static_cast<std::size_t>(samples));
        QCOMPARE(file->info().integer, format != SAMPLEFORMAT_IEEEFP);
        for (int c = 0; c < samples; ++c) {
            const auto plane = file->readChannel(static_cast<std::size_t>(c));
            QVERIFY(plane.ok());
            QCOMPARE(plane->at(0, 0), static_cast<float>(valueAt(0, 0, c)));
            QCOMPARE(plane->at(37, 29), static_cast<float>(valueAt(37, 29, c)));
        }
    }

    void compressedFilesReadToo() {
        Made m;
        m.compression = COMPRESSION_LZW;
        write(m_folder / "z.tif", m);
        QCOMPARE(FrameFile::open(m_folder / "z.tif")->readChannel(0)->at(5, 6), static_cast<float>(valueAt(5, 6, 0)));
    }

    void aCutFileIsRefused() {
        write(m_folder / "cut.tif", {}, 400, 300);
        fs::resize_file(m_folder / "cut.tif", 60'000);
        const auto file = FrameFile::open(m_folder / "cut.tif");
        if (file.ok())
            QVERIFY(!file->readChannel(0).ok());
        else
            QVERIFY(file.error().message.find("cut.tif") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(TiffReaderTest)
#include "tiff_reader_test.moc"
