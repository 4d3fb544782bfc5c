#include "core/base/statistics.h"
#include "core/image/fits_writer.h"
#include "core/image/stored_rows.h"
#include "core/prepare/combine.h"
#include "core/prepare/resample.h"

#include <QTemporaryDir>
#include <QTest>
#include <fitsio.h>

#include <cmath>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

/// Stars of one width on a grid, pixel-integrated closely enough by 5x5 samples.
Plane stars(int width, int height, Alignment::Affine place, double sigma) {
    Plane out(width, height, 100);
    for (int gy = 20; gy < height - 20; gy += 24)
        for (int gx = 20; gx < width - 20; gx += 24) {
            const Point at = place({static_cast<double>(gx), static_cast<double>(gy)});
            for (int y = std::max(0, static_cast<int>(at.y) - 10); y <= std::min(height - 1, static_cast<int>(at.y) + 10); ++y)
                for (int x = std::max(0, static_cast<int>(at.x) - 10); x <= std::min(width - 1, static_cast<int>(at.x) + 10); ++x) {
                    double sum = 0;
                    for (int j = -2; j <= 2; ++j)
                        for (int i = -2; i <= 2; ++i)
                            sum += std::exp(-0.5 * (std::pow(x + 0.2 * i - at.x, 2) + std::pow(y + 0.2 * j - at.y, 2)) / (sigma * sigma));
                    out.at(x, y) += static_cast<float>(1000 * sum / 25);
                }
        }
    return out;
}

Plane resampled(const Plane& from, const Alignment& a) {
    Plane out(from.width(), from.height(), 0);
    for (int y = 0; y < out.height(); ++y) resampleRow({from.data(), from.width(), 0, from.height()}, a.forward(), y, out.width(), 1, out.row(y));
    return out;
}

struct Combined {
    std::vector<float> out;
    std::vector<std::uint16_t> covered, low, high;
};
Combined combine(const std::vector<std::vector<float>>& subs, const NoiseModel& model, const CombineOptions& options) {
    const auto n = subs[0].size();
    Combined c{std::vector<float>(n), std::vector<std::uint16_t>(n), std::vector<std::uint16_t>(n), std::vector<std::uint16_t>(n)};
    std::vector<const float*> rows;
    for (const auto& s : subs) rows.push_back(s.data());
    combineRows(rows, static_cast<int>(n), model, options, {}, c.out.data(), {c.covered, c.low, c.high});
    return c;
}

std::vector<std::vector<float>> noise(int subs, int n, double level, double sigma, unsigned long long seed) {
    Random random(seed);
    std::vector<std::vector<float>> out(static_cast<std::size_t>(subs), std::vector<float>(static_cast<std::size_t>(n)));
    for (auto& s : out)
        for (float& v : s) v = static_cast<float>(level + sigma * random.normal());
    return out;
}

double meanOf(const std::vector<float>& v) {
    double sum = 0;
    for (const float x : v) sum += static_cast<double>(x);
    return sum / static_cast<double>(v.size());
}

/// Subs of one field whose star images differ, stacked; and what plain means of them would hold.
struct MixedSeeing {
    static constexpr int kSide = 140;
    static constexpr double kSky = 4, kGain = 1;
    std::vector<Plane> subs;
    std::vector<double> spread;

    MixedSeeing(const std::vector<double>& fwhm, double height, unsigned long long seed) {
        Random random(seed);
        std::vector<std::optional<double>> widths;
        for (const double f : fwhm) {
            const double sigma = f / 2.3548, dx = 0.08 * random.normal(), dy = 0.08 * random.normal(); // what alignment leaves
            Plane p = stars(kSide, kSide, {1, 0, 0, 1, dx, dy}, sigma);
            for (std::size_t i = 0; i < p.size(); ++i) {
                float& v = p.data()[i];
                const double light = (static_cast<double>(v) - 100) * height / 1000 / (sigma * sigma); // the same flux for all
                v = static_cast<float>(100 + light + std::sqrt(kSky * kSky + light / kGain) * random.normal());
            }
            subs.push_back(std::move(p));
            widths.emplace_back(f);
        }
        spread = spreadsOf(widths);
    }
    Plane stacked(bool knowing, const CombineOptions& how = {}) const {
        Plane out(kSide, kSide, 0);
        const NoiseModel model{kSky, 100, 1 / kGain, 0.08, clippingBias(subs.size(), how)};
        for (int y = 0; y < kSide; ++y) {
            std::vector<const float*> rows;
            for (const Plane& p : subs) rows.push_back(p.row(y));
            combineRows(rows, kSide, model, how, {}, out.row(y), {},
                        {knowing ? std::span<const double>(spread) : std::span<const double>(), y > 0 ? -kSide : 0, y + 1 < kSide ? kSide : 0});
        }
        return out;
    }
    Plane mean() const {
        Plane out(kSide, kSide, 0);
        for (const Plane& p : subs)
            for (std::size_t i = 0; i < p.size(); ++i) out.data()[i] += p.data()[i] / static_cast<float>(subs.size());
        return out;
    }
    /// Of all stars together, within `radius`.
    static double light(const Plane& p, double radius) {
        double sum = 0;
        for (int gy = 20; gy < kSide - 20; gy += 24)
            for (int gx = 20; gx < kSide - 20; gx += 24)
                for (int y = gy - 9; y <= gy + 9; ++y)
                    for (int x = gx - 9; x <= gx + 9; ++x)
                        if (std::hypot(x - gx, y - gy) <= radius) sum += static_cast<double>(p.at(x, y)) - 100;
        return sum;
    }
};

} // namespace

class StackingTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;

private slots:
    // --- rejection on stars

    /// A night's seeing changes: the sharper subs must not lose the cores of their stars to clipping.
    void clippingLeavesStars_data() {
        QTest::addColumn<QList<double>>("fwhm");
        const auto of = [](std::initializer_list<std::pair<int, double>> groups) {
            QList<double> out;
            for (const auto& [n, f] : groups)
                for (int i = 0; i < n; ++i) out << f;
            return out;
        };
        QTest::newRow("a third sharper") << of({{11, 3.2}, {5, 2.6}});
        QTest::newRow("a third softer") << of({{11, 2.6}, {5, 3.2}});
        QTest::newRow("half and half") << of({{8, 2.4}, {8, 3.4}});
        QTest::newRow("few") << of({{3, 3.0}, {2, 2.4}});
        QTest::newRow("one much sharper") << of({{11, 3.4}, {1, 2.2}});
        QTest::newRow("alike") << of({{16, 3.0}});
        QList<double> drift;
        for (int i = 0; i < 24; ++i) drift << 2.3 + 0.06 * i;
        QTest::newRow("drifting") << drift;
    }
    void clippingLeavesStars() {
        QFETCH(QList<double>, fwhm);
        for (const double height : {60.0, 600.0, 6000.0}) {
            const MixedSeeing night({fwhm.begin(), fwhm.end()}, height, 7);
            const Plane stack = night.stacked(true), mean = night.mean();
            const double flux = MixedSeeing::light(stack, 8) / MixedSeeing::light(mean, 8) - 1,
                         core = MixedSeeing::light(stack, 1.5) / MixedSeeing::light(mean, 1.5) - 1;
            QVERIFY2(std::abs(flux) < (height > 100 ? 0.002 : 0.006),
                     qPrintable(QString("height %1: flux %2 %").arg(height).arg(100 * flux))); // of faint ones noise counts
            QVERIFY2(std::abs(core) < (height > 100 ? 0.004 : 0.008), qPrintable(QString("height %1: core %2 %").arg(height).arg(100 * core)));
        }
    }

    /// What comes and goes is clipped all the same, on the sky and on the flanks of stars.
    void trailsAndHitsStillGo() {
        MixedSeeing night({3.2, 3.2, 3.2, 3.2, 3.2, 3.2, 3.2, 3.2, 3.2, 3.2, 3.2, 2.6, 2.6, 2.6, 2.6, 2.6}, 600, 9);
        const Plane clean = night.stacked(true);
        for (int x = 0; x < MixedSeeing::kSide; ++x) // a trail over the sky and a star's flank, at two heights
            for (int w = 0; w < 2; ++w) night.subs[3].at(x, 33 + w) += 60, night.subs[12].at(x, 46 + w) += 400;
        night.subs[5].at(44, 45) += 2000; // beside a star's top
        night.subs[13].at(92, 90) += 3000;
        night.subs[2].at(70, 20) += 500;
        const Plane stack = night.stacked(true);
        double worst = 0;
        for (int y = 0; y < MixedSeeing::kSide; ++y)
            for (int x = 0; x < MixedSeeing::kSide; ++x)
                worst = std::max(worst, std::abs(static_cast<double>(stack.at(x, y) - clean.at(x, y))) /
                                            std::sqrt(16 + std::max(0.0, static_cast<double>(clean.at(x, y)) - 100)));
        QVERIFY2(worst < 1.2, qPrintable(QString("%1 sigmas of a sub").arg(worst)));
    }

    // --- resampling

    void wholePixelShiftsAreCopies() {
        const Plane from = stars(200, 160, {1, 0, 0, 1, 0, 0}, 1.3);
        Alignment a;
        a.dx = 7, a.dy = -3;
        const Plane to = resampled(from, a);
        for (int y = 3; y < 160; ++y)
            for (int x = 0; x < 193; ++x) QCOMPARE(to.at(x, y), from.at(x + 7, y - 3));
        QVERIFY(!std::isfinite(to.at(195, 50)) && !std::isfinite(to.at(50, 1)));
        a.dx = a.dy = 0;
        QCOMPARE(std::memcmp(resampled(from, a).data(), from.data(), from.size() * sizeof(float)), 0); // even the rims
    }

    /// Stars of FWHM 3 pixels come back where they were to 1.2 % of their height (at another scale a pixel gathers another area), after shifts, turns, half a
    /// turn, other scales and a mirror.
    void starsComeBackInPlace_data() {
        QTest::addColumn<double>("dx");
        QTest::addColumn<double>("turn");
        QTest::addColumn<double>("scale");
        QTest::addColumn<bool>("mirrored");
        QTest::newRow("shift") << 3.37 << 0.0 << 1.0 << false;
        QTest::newRow("small turn") << 2.5 << 0.3 << 1.0 << false;
        QTest::newRow("turn") << 40.0 << 12.0 << 1.0 << false;
        QTest::newRow("meridian flip") << 196.4 << 179.8 << 1.0 << false;
        QTest::newRow("scale") << 1.2 << 0.0 << 1.02 << false;
        QTest::newRow("mirror") << 199.3 << 0.0 << 1.0 << true;
    }
    void starsComeBackInPlace() {
        QFETCH(double, dx);
        QFETCH(double, turn);
        QFETCH(double, scale);
        QFETCH(bool, mirrored);
        Alignment a;
        a.dx = dx, a.rotation_deg = turn, a.scale = scale, a.mirrored = mirrored;
        a.dy = std::abs(turn) > 90 ? 158.7 : turn > 5 ? -10 : 1.63;
        const Plane truth = stars(200, 160, {1, 0, 0, 1, 0, 0}, 1.3), from = stars(200, 160, a.forward(), 1.3 * scale), to = resampled(from, a);
        int seen = 0;
        for (int y = 0; y < 160; ++y)
            for (int x = 0; x < 200; ++x) {
                if (!std::isfinite(to.at(x, y)) || truth.at(x, y) < 101) continue;
                const Point p = a.map({static_cast<double>(x), static_cast<double>(y)});
                if (p.x < 12 || p.y < 12 || p.x > 188 || p.y > 148) continue; // stars cut by the border
                QVERIFY2(std::abs(to.at(x, y) - truth.at(x, y)) < 12, qPrintable(QString("%1,%2: %3 %4").arg(x).arg(y).arg(to.at(x, y)).arg(truth.at(x, y))));
                ++seen;
            }
        QVERIFY(seen > 1000);
    }

    void noiseIsKeptAsForetold() {
        Random random(5);
        Plane from(400, 300);
        for (std::size_t i = 0; i < from.size(); ++i) from.data()[i] = static_cast<float>(random.normal());
        for (const double shift : {0.0, 0.25, 0.5}) {
            Alignment a;
            a.dx = a.dy = shift;
            const Plane to = resampled(from, a);
            double squares = 0;
            int n = 0;
            for (std::size_t i = 0; i < to.size(); ++i)
                if (std::isfinite(to.data()[i])) squares += static_cast<double>(to.data()[i]) * static_cast<double>(to.data()[i]), ++n;
            const double expected = noiseKept(a.forward(), 400, 300);
            QVERIFY2(std::abs(squares / n / expected - 1) < 0.02, qPrintable(QString("%1: %2 %3").arg(shift).arg(squares / n).arg(expected)));
        }
    }

    // --- combining

    void clippingLeavesTheMeanAlone() {
        // 2.5 and 3 sigma lower the mean by 0.006 sigma; 12 x 200000 values know it to 0.0007.
        const auto subs = noise(12, 200'000, 500, 10, 3);
        const Combined c = combine(subs, {10, 500, 0, 0, clippingBias(12, {})}, {}), plain = combine(subs, {10, 500, 0, 0}, {});
        QVERIFY(meanOf(plain.out) < 499.96);
        QVERIFY2(std::abs(meanOf(c.out) - 500) < 0.02, qPrintable(QString::number(meanOf(c.out))));
        double rejected = 0;
        for (std::size_t i = 0; i < c.low.size(); ++i) rejected += c.low[i] + c.high[i];
        QVERIFY(rejected / (12 * 200'000.0) < 0.012);
    }

    void outliersGoAndNothingElse_data() {
        QTest::addColumn<int>("subs");
        QTest::addColumn<int>("how");
        for (const int n : {3, 5, 8, 12, 40})
            for (const auto how : {Rejection::Sigma, Rejection::Winsor})
                QTest::addRow("%d subs, %s", n, how == Rejection::Sigma ? "sigma" : "winsor") << n << static_cast<int>(how);
    }
    void outliersGoAndNothingElse() {
        QFETCH(int, subs);
        QFETCH(int, how);
        auto values = noise(subs, 4000, 100, 5, static_cast<unsigned long long>(subs));
        for (int i = 0; i < 4000; i += 2) values[static_cast<std::size_t>(i / 2 % subs)][static_cast<std::size_t>(i)] += 80; // a trail of 16 sigma
        CombineOptions options;
        options.reject = static_cast<Rejection>(how);
        const Combined c = combine(values, {5, 100, 0, 0}, options);
        double hit = 0, clean = 0;
        for (std::size_t i = 0; i < 4000; i += 2) {
            QCOMPARE(static_cast<int>(c.high[i]) >= 1, true);
            hit += static_cast<double>(c.out[i]), clean += static_cast<double>(c.out[i + 1]);
        }
        // Half a sigma of the mean over 2000 pixels, doubled for what clipping takes besides.
        QVERIFY2(std::abs(hit / 2000 - 100) < 0.5 && std::abs(clean / 2000 - 100) < 0.4, qPrintable(QString("%1 %2").arg(hit / 2000).arg(clean / 2000)));
    }

    void fewValuesAreNotLost() {
        const Combined two = combine({{100, 100, kNoData, kNoData}, {101, 900, 103, kNoData}}, {2, 100, 0, 0}, {});
        QVERIFY(std::abs(two.out[0] - 100.5F) < 1e-3F);
        QVERIFY(std::abs(two.out[1] - 100.0F) < 1e-3F && two.high[1] == 1); // of two the lower one: light is added, not taken
        QCOMPARE(two.out[2], 103.0F);
        QVERIFY(!std::isfinite(two.out[3]) && two.covered[3] == 0);
        CombineOptions plain;
        plain.reject = Rejection::None;
        QVERIFY(std::abs(combine({{1}, {2}, {900}}, {1, 0, 0, 0}, plain).out[0] - 301) < 1e-3F);
        plain.method = Combination::Median;
        QCOMPARE(combine({{1}, {2}, {900}}, {1, 0, 0, 0}, plain).out[0], 2.0F);
    }

    void seeingDoesNotRejectStars() {
        // A star's core differs by 5 % from sub to sub: far more than photons, but no outlier.
        Random random(9);
        std::vector<std::vector<float>> values(10, std::vector<float>(2000));
        for (auto& s : values)
            for (float& v : s) v = static_cast<float>(100 + 20'000 * (1 + 0.05 * random.normal()));
        const Combined c = combine(values, {5, 100, 1, 0.08}, {});
        double rejected = 0;
        for (std::size_t i = 0; i < 2000; ++i) rejected += c.low[i] + c.high[i];
        QVERIFY2(rejected / 20'000 < 0.01, qPrintable(QString::number(rejected)));
    }

    // --- rows

    void rowsAreThoseOfTheFrame_data() {
        QTest::addColumn<int>("type");
        QTest::addColumn<bool>("packed");
        for (const auto& [name, type] : {std::pair{"8 bit", BYTE_IMG},
                                         {"16 bit", SHORT_IMG},
                                         {"16 bit unsigned", USHORT_IMG},
                                         {"32 bit", LONG_IMG},
                                         {"float", FLOAT_IMG},
                                         {"double", DOUBLE_IMG}})
            for (const bool packed : {false, true})
                if (!packed || type == SHORT_IMG || type == FLOAT_IMG) QTest::addRow("%s%s", name, packed ? ", compressed" : "") << type << packed;
    }
    void rowsAreThoseOfTheFrame() {
        QFETCH(int, type);
        QFETCH(bool, packed);
        const std::string path = m_folder.filePath(QString("%1-%2.fits").arg(type).arg(packed)).toStdString();
        const long size[] = {61, 47};
        std::vector<float> pixels(61 * 47);
        for (std::size_t i = 0; i < pixels.size(); ++i) pixels[i] = static_cast<float>((i * 37) % 200 + 1);
        fitsfile* f = nullptr;
        int status = 0;
        fits_create_diskfile(&f, path.c_str(), &status);
        if (packed) fits_set_compression_type(f, GZIP_1, &status);
        if (packed && type < 0) fits_set_quantize_level(f, 0, &status);
        fits_create_img(f, type, 2, const_cast<long*>(size), &status);
        std::vector<short> whole(pixels.begin(), pixels.end()); // compression takes each kind as itself
        if (type == SHORT_IMG)
            fits_write_img(f, TSHORT, 1, static_cast<LONGLONG>(pixels.size()), whole.data(), &status);
        else
            fits_write_img(f, TFLOAT, 1, static_cast<LONGLONG>(pixels.size()), pixels.data(), &status);
        fits_close_file(f, &status);
        QCOMPARE(status, 0);
        const auto file = FrameFile::open(path);
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        const auto rows = StoredRows::open(*file);
        QVERIFY2(rows.ok(), rows.ok() ? "" : rows.error().message.c_str());
        std::vector<float> some(61 * 5);
        for (const int y : {0, 13, 42}) {
            QVERIFY(rows->read(0, y, 5, some.data()).ok());
            for (std::size_t i = 0; i < some.size(); ++i) QCOMPARE(some[i], pixels[static_cast<std::size_t>(y) * 61 + i]);
        }
        QVERIFY(fs::remove(path));
        if (!packed) QVERIFY(!rows->read(0, 0, 5, some.data()).ok()); // a frame that goes away while it is stacked
    }
};

QTEST_GUILESS_MAIN(StackingTest)
#include "stacking_test.moc"
