#include "core/compare/measure_trial.h"
#include "core/image/fits_writer.h"
#include "support/scenes.h"

using namespace caelumen;

/// A star of any brightness, anywhere in a nebula region, must not pass for nebula.
class NebulaStarTest : public QObject {
    Q_OBJECT
    scenes::Folder m_folder;
    static constexpr double kNebula = 6, kNoise = 3;
    static constexpr Point kMiddle{300, 210};
    static constexpr double kRadius = 40;

    /// A run of one channel with a nebula of even light that fades well outside its region.
    void write(const char* name, double scale, double starFlux, Point at, double saturation, unsigned long long seed) const {
        scenes::PlaneScene s;
        s.stars = 150;
        s.noise = 0;
        s.sky = 100 * scale;
        s.faintest *= scale, s.brightest *= scale;
        Plane p = scenes::make(s).plane;
        for (int y = 0; y < s.height; ++y)
            for (int x = 0; x < s.width; ++x) p.at(x, y) += static_cast<float>(kNebula / (1 + std::exp((std::hypot(x - kMiddle.x, y - kMiddle.y) - 75) / 6)));
        if (starFlux > 0) scenes::addStar(p, at.x, at.y, starFlux * scale, s.fwhm, s.beta);
        scenes::addNoise(p, kNoise * std::sqrt(scale), seed);
        for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] = std::min(p.data()[i], static_cast<float>(saturation));
        QVERIFY(writeFits(m_folder / name, {&p}, {}).ok());
    }

    Trial trial() const {
        Trial t;
        t.title = "Star on nebula";
        t.rig.gain_e_per_adu = 1;
        t.rig.pedestal_adu = 0;
        t.rig.pixel_um = 3.76;
        t.rig.focal_length_mm = 388;
        t.rig.full_scale_adu = 65'535;
        for (const auto& [id, kind] : {std::pair("none", "none"), std::pair("duo", "dual")}) {
            Filter f;
            f.id = id;
            f.kind = kind;
            t.filters.push_back(f);
        }
        for (const auto& [id, filter] : {std::pair("A", "none"), std::pair("B", "duo")}) {
            Run r;
            r.id = id;
            r.filter = filter;
            r.stack = std::string(id) + ".fits";
            r.baseline = r.id == "A";
            r.sub_exposure_s = 1;
            r.sub_count = 1;
            t.runs.push_back(r);
        }
        Region n;
        n.id = "N1";
        n.role = RegionRole::Nebula;
        n.shape = RegionShape::Circle;
        n.points = {kMiddle};
        n.radius = kRadius;
        t.regions.push_back(n);
        int k = 0;
        for (const auto& [low, high] : {std::pair(Point{10, 10}, Point{150, 100}), std::pair(Point{450, 10}, Point{590, 100}),
                                        std::pair(Point{10, 320}, Point{150, 410}), std::pair(Point{450, 320}, Point{590, 410})}) {
            Region s;
            s.id = "S" + std::to_string(++k);
            s.role = RegionRole::Sky;
            s.shape = RegionShape::Rect;
            s.points = {low, high};
            t.regions.push_back(s);
        }
        return t;
    }

private slots:
    void aStarIsNoNebula_data() {
        QTest::addColumn<double>("flux");
        QTest::addColumn<double>("x");
        QTest::addColumn<double>("y");
        QTest::addColumn<double>("saturation");
        int k = 0;
        for (const double flux : {0.0, 60.0, 200.0, 1e3, 1e4, 1e5, 1e6}) {
            const double turn = 2.4 * ++k, away = kRadius * (k % 3) / 2.2; // from the middle to just inside the edge
            QTest::addRow("flux %g", flux) << flux << kMiddle.x + away * std::cos(turn) << kMiddle.y + away * std::sin(turn) << 65'000.0;
        }
        QTest::addRow("burnt") << 1e6 << kMiddle.x + 5 << kMiddle.y - 9 << 20'000.0;
        QTest::addRow("just outside") << 3e5 << kMiddle.x + kRadius + 6 << kMiddle.y << 65'000.0;
    }
    void aStarIsNoNebula() {
        QFETCH(double, flux);
        QFETCH(double, x);
        QFETCH(double, y);
        QFETCH(double, saturation);
        write("A.fits", 1, flux, {x, y}, saturation, 5);
        write("B.fits", 0.1, flux, {x, y}, saturation, 6);
        const auto r = measureTrial(trial(), m_folder.path());
        QVERIFY2(r.ok(), r ? "" : r.error().message.c_str());
        int compared = 0;
        for (const Measurement& m : r->measurements) {
            if (m.quantity != "nebula_signal") continue;
            ++compared;
            const QByteArray what = QString("%1: %2 +- %3, truth %4").arg(QString::fromStdString(m.run)).arg(m.value).arg(m.sigma).arg(kNebula).toUtf8();
            QVERIFY2(std::abs(m.value - kNebula) < 3.5 * m.sigma, what);
            QVERIFY2(std::abs(m.value / kNebula - 1) < 0.1, what);
            QVERIFY2(m.sigma < (flux < 5e5 ? 0.03 : 0.2) * kNebula, what); // the brightest hide most of the region
        }
        QCOMPARE(compared, 2);
    }
};

QTEST_APPLESS_MAIN(NebulaStarTest)
#include "nebula_star_test.moc"
