#include "app/bench/frame_view.h"
#include "app/bench/region_drawing.h"
#include "app/widgets/theme.h"
#include "core/image/fits_writer.h"
#include "support/scenes.h"
#include "support/watched_app.h"

#include <QSignalSpy>
#include <QWheelEvent>

using namespace caelumen;

/// The picture view driven by mouse and keys, with two loaded frames.
class FrameViewTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    std::unique_ptr<FrameView> m_view;

    std::shared_ptr<PicturePainter> painter(double sky, const char* name) {
        scenes::PlaneScene s;
        s.sky = sky;
        const Plane plane = scenes::make(s).plane;
        if (!writeFits(m_folder / name, {&plane}, {{"EXPTIME", 1.0, ""}}).ok()) qFatal("cannot write");
        Trial t;
        Run r;
        r.id = "A";
        r.stack = name;
        t.runs = {r};
        auto p = PicturePyramid::load(*openRun(t, r, m_folder.path()));
        auto out = std::make_shared<PicturePainter>(std::make_shared<const PicturePyramid>(std::move(*p)));
        Stretch stretch;
        stretch.black = 0;
        stretch.white = 1000;
        stretch.soft = 100;
        out->setStretch(stretch, PictureTint::Natural);
        return out;
    }
    QPoint viewOf(Point p) const { return m_view->transform().map(QPointF(p.x, p.y)).toPoint(); }
    void drag(Point from, Point to) {
        QTest::mousePress(m_view.get(), Qt::LeftButton, {}, viewOf(from));
        QTest::mouseMove(m_view.get(), (viewOf(from) + viewOf(to)) / 2);
        QTest::mouseMove(m_view.get(), viewOf(to));
        QTest::mouseRelease(m_view.get(), Qt::LeftButton, {}, viewOf(to));
    }

private slots:
    void init() {
        applyTheme(*qApp, ThemeKind::Grey);
        m_view = std::make_unique<FrameView>();
        m_view->resize(700, 500);
        m_view->show();
        QVERIFY(QTest::qWaitForWindowExposed(m_view.get()));
        m_view->setLanes({{"A", "A one", filterStyle(0, true), painter(100, "a.fits")}, {"B", "B two", filterStyle(1, false), painter(400, "b.fits")}},
                         QSize(600, 420));
        m_view->setRegions({{"N1", RegionRole::Nebula, RegionShape::Circle, {{300, 200}}, 40, "", "", true},
                            {"S1", RegionRole::Sky, RegionShape::Rect, {{50, 50}, {120, 110}}, 0, "", "", false}});
    }

    void keysFlipBetweenRuns() {
        QSignalSpy flipped(m_view.get(), &FrameView::flipped);
        QTest::keyClick(m_view.get(), Qt::Key_2);
        QCOMPARE(m_view->current(), QString("B"));
        const int light = qGray(m_view->grab().toImage().pixel(350, 420));
        QTest::keyClick(m_view.get(), Qt::Key_1);
        const int dark = qGray(m_view->grab().toImage().pixel(350, 420));
        QVERIFY2(light > dark + 20, qPrintable(QString("%1 %2").arg(light).arg(dark)));
        QTest::keyClick(m_view.get(), Qt::Key_Right);
        QCOMPARE(m_view->current(), QString("B"));
        QTest::keyClick(m_view.get(), Qt::Key_Right);
        QCOMPARE(m_view->current(), QString("A"));
        QTest::keyClick(m_view.get(), Qt::Key_9); // no such run
        QCOMPARE(m_view->current(), QString("A"));
        QCOMPARE(flipped.count(), 4);
    }

    void theWheelZoomsAboutTheCursor() {
        const QPointF at(200, 150);
        const Point before = m_view->toFrame(at);
        const double zoom = m_view->zoom();
        QWheelEvent wheel(at, m_view->mapToGlobal(at), {}, {0, 240}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(m_view.get(), &wheel);
        QVERIFY(m_view->zoom() > 1.3 * zoom);
        const Point after = m_view->toFrame(at);
        QVERIFY(std::hypot(before.x - after.x, before.y - after.y) < 1e-6);
        m_view->fitFrame();
        QVERIFY(std::abs(m_view->zoom() - zoom) < 1e-9);
    }

    void draggingThePicturePans() {
        const Point before = m_view->toFrame({350, 100});
        QTest::mousePress(m_view.get(), Qt::LeftButton, {}, {350, 100});
        QTest::mouseMove(m_view.get(), {380, 90});
        QTest::mouseRelease(m_view.get(), Qt::LeftButton, {}, {380, 90});
        const Point after = m_view->toFrame({380, 90});
        QVERIFY(std::hypot(before.x - after.x, before.y - after.y) < 1e-6);
    }

    void regionsAreMovedAndResized() {
        QSignalSpy changed(m_view.get(), &FrameView::regionChanged);
        drag({300, 200}, {330, 220});
        QCOMPARE(m_view->selected(), QString("N1"));
        QCOMPARE(changed.count(), 1);
        const auto moved = changed.takeFirst().at(0).value<Region>();
        QVERIFY(std::abs(moved.points[0].x - 330) < 1 && std::abs(moved.points[0].y - 220) < 1);
        QVERIFY(!moved.guessed);
        QCOMPARE(moved.radius, 40.0);
        // The handle on the right edge of the (still unmoved) circle.
        drag({340, 200}, {360, 200});
        QCOMPARE(changed.count(), 1);
        QVERIFY(std::abs(changed.takeFirst().at(0).value<Region>().radius - 60) < 1);
        // A corner of the rectangle; a click without moving changes nothing.
        QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, viewOf({80, 80}));
        QCOMPARE(m_view->selected(), QString("S1"));
        QCOMPARE(changed.count(), 0);
        drag({120, 110}, {150, 140});
        const auto rect = changed.takeFirst().at(0).value<Region>();
        QVERIFY(std::abs(rect.bounds().max.x - 150) < 1 && std::abs(rect.bounds().min.x - 50) < 1e-9);
    }

    void arrowsNudgeTheChosenRegion() {
        QSignalSpy changed(m_view.get(), &FrameView::regionChanged);
        m_view->select("S1");
        QTest::keyClick(m_view.get(), Qt::Key_Left);
        QTest::keyClick(m_view.get(), Qt::Key_Down, Qt::ShiftModifier);
        QCOMPARE(changed.count(), 2);
        QCOMPARE(changed[0].at(0).value<Region>().bounds().min.x, 49.0);
        QCOMPARE(changed[1].at(0).value<Region>().bounds().min.y, 60.0);
        QTest::keyClick(m_view.get(), Qt::Key_Escape);
        QVERIFY(m_view->selected().isEmpty());
    }

    void toolsDrawRegions() {
        QSignalSpy drawn(m_view.get(), &FrameView::regionDrawn), done(m_view.get(), &FrameView::toolDone);
        m_view->setTool(FrameView::Tool::Nebula);
        drag({400, 300}, {430, 300});
        const auto circle = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(circle.role == RegionRole::Nebula && std::abs(circle.radius - 30) < 1.5);
        m_view->setTool(FrameView::Tool::Sky);
        drag({500, 300}, {560, 380});
        QVERIFY(drawn.takeFirst().at(0).value<Region>().role == RegionRole::Sky);
        m_view->setTool(FrameView::Tool::HaloStar);
        QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, viewOf({200, 320}));
        const auto star = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(star.shape == RegionShape::Star && std::abs(star.points[0].x - 200) < 1);
        m_view->setTool(FrameView::Tool::NebulaOutline);
        for (const Point p : {Point{400, 100}, Point{480, 110}, Point{440, 180}}) QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, viewOf(p));
        QTest::mouseDClick(m_view.get(), Qt::LeftButton, {}, viewOf({440, 180}));
        const auto outline = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(outline.shape == RegionShape::Polygon && outline.points.size() >= 3);
        QCOMPARE(done.count(), 4);
        m_view->setTool(FrameView::Tool::Sky);
        QTest::keyClick(m_view.get(), Qt::Key_Escape);
        QCOMPARE(done.count(), 5);
    }

    void doubleClickAsksForAName() {
        QSignalSpy asked(m_view.get(), &FrameView::renameAsked);
        QTest::mouseDClick(m_view.get(), Qt::LeftButton, {}, viewOf({300, 200}));
        QCOMPARE(asked.count(), 1);
        QCOMPARE(asked[0].at(0).toString(), QString("N1"));
    }

    void anEmptyViewInvites() {
        m_view->setLanes({}, {});
        QVERIFY(!m_view->grab().isNull());
        QTest::keyClick(m_view.get(), Qt::Key_1);
        QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, {100, 100});
    }

    void handlesFollowTheShape() {
        const Region polygon{"N2", RegionRole::Nebula, RegionShape::Polygon, {{0, 0}, {10, 0}, {0, 10}}, 0, "", "", false};
        QCOMPARE(regionHandles(polygon, {}).size(), std::size_t{3});
        const Region dragged = regionDragged(polygon, 1, {15, 2}, {});
        QVERIFY(dragged.points[1] == (Point{15, 2}) && dragged.points[0] == (Point{0, 0}));
        QVERIFY(regionHit(polygon, {}, {2, 2}) && !regionHit(polygon, {}, {9, 9}));
    }
};

CAELUMEN_WINDOW_TEST(FrameViewTest)
#include "frame_view_test.moc"
