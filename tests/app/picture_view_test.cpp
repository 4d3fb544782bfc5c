#include "app/widgets/picture_view.h"
#include "support/watched_app.h"

#include <QSignalSpy>
#include <QTest>
#include <QWheelEvent>

#include <cmath>

using namespace caelumen;

namespace {

/// A picture of 400 x 300 in a room with a rim.
class View : public PictureView {
public:
    using PictureView::edgeGrip;
    using PictureView::m_place;
    using PictureView::moveBy;
    QSizeF size_ = {400, 300};
    QRectF curtain_;
    int moves = 0;

protected:
    QSizeF pictureSize() const override { return size_; }
    QRectF roomAt(QPointF) const override { return QRectF(rect()).adjusted(10, 20, -10, -20); }
    QRectF curtainRoom() const override { return curtain_; }
    void placeMoved() override { ++moves, update(); }
    void mousePressEvent(QMouseEvent* e) override { m_hand = Hand{e->position()}, m_atEdge = edgeGrip().contains(e->position()); }
    void mouseMoveEvent(QMouseEvent* e) override {
        if (!m_hand) return;
        if (m_atEdge)
            drawEdgeTo(e->position());
        else if (const QPointF step = m_hand->to(e->position()); m_hand->moved)
            moveBy(step);
    }
    void mouseReleaseEvent(QMouseEvent*) override { m_hand.reset(); }

private:
    bool m_atEdge = false;
};

void turnWheel(QWidget& view, QPointF at, int eighths) {
    QWheelEvent event(at, view.mapToGlobal(at), {}, {0, eighths}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&view, &event);
}

} // namespace

class PictureViewTest : public QObject {
    Q_OBJECT

private slots:
    void aFittedPictureStaysFitted() {
        View view;
        view.resize(420, 340);
        view.show();
        view.fit();
        QCOMPARE(view.place().zoom(), 1.0);
        view.resize(820, 640);
        QCOMPARE(view.place().zoom(), 2.0);
        // The picture's outer edge on the room's.
        QCOMPARE(view.place().transform().map(QPointF(-0.5, -0.5)), QPointF(0, 0));
        QCOMPARE(view.place().transform().map(QPointF(399.5, 299.5)), QPointF(800, 600));
        view.zoomTo(3, {100, 100});
        view.resize(420, 340);
        QCOMPARE(view.place().zoom(), 3.0); // not any more
    }

    void theWheelHoldsWhatIsUnderTheCursor() {
        View view;
        view.resize(420, 340);
        view.show();
        view.fit();
        const QPointF cursor(123, 77);
        const auto under = [&] { return view.place().toPicture(cursor - QPointF(10, 20)); };
        const Point before = under();
        for (const int turn : {120, 120, -240, 360, 15}) {
            const double zoom = view.place().zoom();
            turnWheel(view, cursor, turn);
            QVERIFY(turn > 0 ? view.place().zoom() > zoom : view.place().zoom() < zoom);
            QVERIFY(std::hypot(under().x - before.x, under().y - before.y) < 1e-9);
        }
        for (int i = 0; i < 100; ++i) turnWheel(view, cursor, 1200);
        QVERIFY(view.place().zoom() <= 40);
        for (int i = 0; i < 200; ++i) turnWheel(view, cursor, -1200);
        QVERIFY(view.place().zoom() >= 0.02);
        view.size_ = {};
        const double zoom = view.place().zoom();
        turnWheel(view, cursor, 120); // nothing to magnify
        QCOMPARE(view.place().zoom(), zoom);
    }

    void aHandMovesThePictureAndCannotLoseIt() {
        View view;
        view.resize(420, 340);
        view.show();
        view.zoomTo(2, {10, 20});
        const Point before = view.place().toPicture({0, 0});
        QTest::mousePress(&view, Qt::LeftButton, {}, {200, 200});
        QTest::mouseMove(&view, {202, 201}); // trembles
        QCOMPARE(view.place().toPicture({0, 0}).x, before.x);
        QTest::mouseMove(&view, {190, 190});
        QVERIFY(std::abs(view.place().toPicture({0, 0}).x - before.x - 5) < 1e-9);
        QTest::mouseMove(&view, {-5000, -5000});
        QTest::mouseRelease(&view, Qt::LeftButton);
        const QRectF room(0, 0, 400, 300);
        const Point middle = view.place().toPicture(room.center());
        QVERIFY(std::abs(middle.x - 399) < 1e-9 && std::abs(middle.y - 299) < 1e-9);
        view.moveBy({1e6, 1e6});
        QVERIFY(view.place().toPicture(room.center()).x == 0);
    }

    void aCurtainHasAnEdge() {
        View view;
        view.resize(420, 340);
        view.show();
        QVERIFY(view.edgeGrip().isEmpty());
        view.curtain_ = QRectF(10, 20, 400, 300);
        QCOMPARE(view.edgeGrip().center().x(), 210.0);
        QTest::mousePress(&view, Qt::LeftButton, {}, {212, 100});
        QTest::mouseMove(&view, {110, 100});
        QCOMPARE(view.edge(), 0.25);
        QTest::mouseMove(&view, {5000, 100});
        QCOMPARE(view.edge(), 1.0);
        QTest::mouseRelease(&view, Qt::LeftButton);
        view.setEdge(-3);
        QCOMPARE(view.edge(), 0.0);
    }

    /// No other number of columns makes the pictures larger.
    void columnsMakePicturesLargest() {
        const auto size = [](int n, int columns, QSizeF room, double aspect, double caption) {
            const int rows = (n + columns - 1) / columns;
            return std::min(room.width() / columns, aspect * (room.height() / rows - caption));
        };
        for (int n = 1; n <= 12; ++n)
            for (const QSizeF room : {QSizeF(1200, 700), QSizeF(400, 900), QSizeF(1800, 200)})
                for (const double aspect : {0.7, 1.5}) {
                    const int columns = columnsFor(n, room, aspect, 22);
                    QVERIFY(columns >= 1 && columns <= n);
                    for (int other = 1; other <= n; ++other) QVERIFY(size(n, other, room, aspect, 22) <= size(n, columns, room, aspect, 22) + 1e-9);
                }
    }

    void aTremblingHandClicks() {
        Hand hand{{100, 100}};
        QCOMPARE(hand.to({102, 101}), QPointF());
        QVERIFY(!hand.moved);
        QCOMPARE(hand.to({110, 100}), QPointF(10, 0)); // nothing of the way is lost
        QVERIFY(hand.moved);
        QCOMPARE(hand.to({111, 100}), QPointF(1, 0)); // from now on every pixel counts
        QCOMPARE(hand.to({100, 100}), QPointF(-11, 0));
    }
};

CAELUMEN_WINDOW_TEST(PictureViewTest)
#include "picture_view_test.moc"
