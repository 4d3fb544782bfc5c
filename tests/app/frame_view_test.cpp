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

    ViewLane lane(const char* run, double sky, const char* name, bool baseline) {
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
        ViewLane out;
        out.run = run;
        out.label = QString(run) + " one";
        out.style = filterStyle(baseline ? 0 : 1, baseline);
        out.picture = std::make_shared<const PicturePyramid>(std::move(*p));
        out.stretch.black = 0;
        out.stretch.white = 1000;
        out.stretch.soft = 100;
        out.baseline = baseline;
        return out;
    }
    int greyAt(QPoint at) {
        m_view->finish();
        return qGray(m_view->grab().toImage().pixel(at));
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
        m_view->setLanes({lane("A", 100, "a.fits", true), lane("B", 400, "b.fits", false)}, QSize(600, 420));
        m_view->setRegions({{"N1", RegionRole::Nebula, RegionShape::Circle, {{300, 200}}, 40, "", "", true},
                            {"S1", RegionRole::Sky, RegionShape::Rect, {{50, 50}, {120, 110}}, 0, "", "", false}});
    }

    void flippingShowsTheOtherRun() {
        QSignalSpy flipped(m_view.get(), &FrameView::flipped);
        m_view->setCurrent("B");
        const int light = greyAt({350, 420});
        m_view->setCurrent("A");
        const int dark = greyAt({350, 420});
        QVERIFY2(light > dark + 20, qPrintable(QString("%1 %2").arg(light).arg(dark)));
        QTest::keyClick(m_view.get(), Qt::Key_Right);
        QCOMPARE(m_view->current(), QString("B"));
        QTest::keyClick(m_view.get(), Qt::Key_Right);
        QCOMPARE(m_view->current(), QString("A"));
        QTest::keyClick(m_view.get(), Qt::Key_Left);
        QCOMPARE(m_view->current(), QString("B"));
        QCOMPARE(flipped.count(), 5);
        m_view->setBaselineHeld(true);
        QCOMPARE(m_view->shown(), QString("A"));
        QCOMPARE(greyAt({350, 420}), dark);
        m_view->setBaselineHeld(false);
        QCOMPARE(greyAt({350, 420}), light);
    }

    void aCurtainShowsTwoRunsAtOnce() {
        m_view->setCurrent("B");
        const int light = greyAt({600, 420});
        m_view->setMode(FrameView::Mode::Curtain);
        QCOMPARE(m_view->behind(), QString("A"));
        QVERIFY(greyAt({100, 420}) < light - 20); // the baseline left of the edge
        QCOMPARE(greyAt({600, 420}), light);
        // The edge is dragged, or moved by keys.
        const QRectF room = m_view->pictureOf("B");
        const QPoint edge = QPointF(room.center().x(), room.top() + 40).toPoint();
        QTest::mousePress(m_view.get(), Qt::LeftButton, {}, edge);
        QTest::mouseMove(m_view.get(), edge - QPoint(200, 0));
        QTest::mouseMove(m_view.get(), QPoint(60, edge.y()));
        QTest::mouseRelease(m_view.get(), Qt::LeftButton, {}, {60, edge.y()});
        QVERIFY(std::abs(m_view->edge() - 60 / room.width()) < 0.01);
        QVERIFY(std::abs(greyAt({100, 420}) - light) < 6);
        QTest::keyClick(m_view.get(), Qt::Key_Right, Qt::ShiftModifier);
        QVERIFY(m_view->edge() > 0.1);
    }

    void tilesPanAndZoomTogether() {
        m_view->setMode(FrameView::Mode::Tiles);
        const QRectF a = m_view->pictureOf("A"), b = m_view->pictureOf("B");
        QVERIFY(!a.isEmpty() && !b.isEmpty() && !a.intersects(b) && a.size() == b.size());
        const QPointF in(30, 40);
        QWheelEvent wheel(a.topLeft() + in, m_view->mapToGlobal(a.topLeft() + in), {}, {0, 480}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(m_view.get(), &wheel);
        QTest::mousePress(m_view.get(), Qt::LeftButton, {}, (a.topLeft() + QPointF(80, 90)).toPoint());
        QTest::mouseMove(m_view.get(), (a.topLeft() + QPointF(60, 70)).toPoint());
        QTest::mouseRelease(m_view.get(), Qt::LeftButton, {}, (a.topLeft() + QPointF(60, 70)).toPoint());
        const Point one = m_view->toFrame(a.topLeft() + in), two = m_view->toFrame(b.topLeft() + in);
        QVERIFY(std::hypot(one.x - two.x, one.y - two.y) < 1e-9);
        const int dark = greyAt((a.center()).toPoint()), light = greyAt((b.center()).toPoint());
        QVERIFY(light > dark + 20);
        // A click in a tile makes it the current one.
        QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, b.center().toPoint());
        QCOMPARE(m_view->current(), QString("B"));
    }

    void theRatioIsOfElectrons() {
        m_view->setCurrent("B");
        m_view->setRatio(true);
        m_view->finish();
        m_view->setShowRegions(false);
        const QImage shot = m_view->grab().toImage();
        const QColor want = QColor::fromRgb(ratioColour(4, PictureTint::Natural)), got = shot.pixelColor(350, 420);
        QVERIFY2(std::abs(want.red() - got.red()) < 14 && std::abs(want.blue() - got.blue()) < 14, qPrintable(got.name() + " " + want.name()));
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

    /// A drag moves the picture; a region follows only once it is chosen.
    void panningNeverMovesARegion() {
        QSignalSpy changed(m_view.get(), &FrameView::regionChanged);
        const QPoint from = viewOf({300, 200});
        const Point before = m_view->toFrame(from);
        QTest::mousePress(m_view.get(), Qt::LeftButton, {}, from);
        QTest::mouseMove(m_view.get(), from + QPoint(15, 5));
        QTest::mouseMove(m_view.get(), from + QPoint(40, 20));
        QTest::mouseRelease(m_view.get(), Qt::LeftButton, {}, from + QPoint(40, 20));
        QCOMPARE(changed.count(), 0);
        QVERIFY(m_view->selected().isEmpty());
        const Point after = m_view->toFrame(from + QPoint(40, 20));
        QVERIFY(std::hypot(before.x - after.x, before.y - after.y) < 6 / m_view->zoom());
    }

    void regionsAreMovedAndResized() {
        QSignalSpy changed(m_view.get(), &FrameView::regionChanged);
        QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, viewOf({300, 200}));
        QCOMPARE(changed.count(), 0);
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
        m_view->setTool(RegionKind{RegionRole::Nebula, RegionShape::Circle});
        drag({400, 300}, {430, 300});
        const auto circle = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(circle.role == RegionRole::Nebula && std::abs(circle.radius - 30) < 1.5);
        m_view->setTool(RegionKind{RegionRole::Sky, RegionShape::Rect});
        drag({500, 300}, {560, 380});
        QVERIFY(drawn.takeFirst().at(0).value<Region>().role == RegionRole::Sky);
        m_view->setTool(RegionKind{RegionRole::HaloStar, RegionShape::Star});
        QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, viewOf({200, 320}));
        const auto star = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(star.shape == RegionShape::Star && std::abs(star.points[0].x - 200) < 1);
        m_view->setTool(RegionKind{RegionRole::Nebula, RegionShape::Polygon});
        for (const Point p : {Point{400, 100}, Point{480, 110}, Point{440, 180}}) QTest::mouseClick(m_view.get(), Qt::LeftButton, {}, viewOf(p));
        QTest::mouseDClick(m_view.get(), Qt::LeftButton, {}, viewOf({440, 180}));
        const auto outline = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(outline.shape == RegionShape::Polygon && outline.points.size() >= 3);
        QCOMPARE(done.count(), 4);
        // Drawn freely with the button held: few corners, but the shape.
        m_view->setTool(RegionKind{RegionRole::Sky, RegionShape::Polygon});
        const auto round = [&](int i) { return viewOf({450 + 60 * std::cos(i * 0.1), 200 + 60 * std::sin(i * 0.1)}); };
        QTest::mousePress(m_view.get(), Qt::LeftButton, {}, round(0));
        for (int i = 1; i < 60; ++i) QTest::mouseMove(m_view.get(), round(i));
        QTest::mouseRelease(m_view.get(), Qt::LeftButton, {}, round(60));
        const auto lasso = drawn.takeFirst().at(0).value<Region>();
        QVERIFY(lasso.role == RegionRole::Sky && lasso.points.size() > 6 && lasso.points.size() <= 42);
        QVERIFY2(std::abs(lasso.area() / (M_PI * 3600) - 1) < 0.06, qPrintable(QString::number(lasso.area())));
        QCOMPARE(done.count(), 5);
        m_view->setTool(RegionKind{RegionRole::Sky, RegionShape::Rect});
        QTest::keyClick(m_view.get(), Qt::Key_Escape);
        QCOMPARE(done.count(), 6);
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
