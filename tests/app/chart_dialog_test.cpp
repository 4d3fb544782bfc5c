#include "app/kit/chart_dialog.h"
#include "core/optics/passband.h"
#include "support/curves.h"
#include "support/watched_app.h"

#include <QCheckBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QRadioButton>
#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

double filterAt(double nm) {
    return 0.005 + 0.9 / (1 + std::pow(std::abs(nm - 656.3) / 3.5, 6)) + 0.85 / (1 + std::pow(std::abs(nm - 500.7) / 4, 6));
}

QPointF placeOf(double nm, double t) {
    return {90 + (nm - 400) * 3.2, 640 - 560 * t};
}

/// A chart as people print it: axes, grid, labels, an antialiased line.
QImage printedChart() {
    QImage image(1180, 720, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter p(&image);
    p.setPen(QPen(QColor(215, 215, 215), 1));
    for (int nm = 400; nm <= 740; nm += 20) p.drawLine(placeOf(nm, 0), placeOf(nm, 1));
    for (int t = 0; t <= 10; ++t) p.drawLine(placeOf(400, t / 10.0), placeOf(740, t / 10.0));
    p.setPen(Qt::black);
    p.drawRect(QRectF(placeOf(400, 1), placeOf(740, 0)));
    p.drawText(QRectF(400, 660, 300, 40), "wavelength (nm)");
    p.setRenderHint(QPainter::Antialiasing);
    QPainterPath path(placeOf(402, filterAt(402)));
    for (double nm = 402; nm <= 738; nm += 0.05) path.lineTo(placeOf(nm, filterAt(nm)));
    p.setPen(QPen(QColor(20, 70, 190), 2.4));
    p.drawPath(path);
    return image;
}

} // namespace

/// The chart reader as a hand uses it.
class ChartDialogTest : public QObject {
    Q_OBJECT

    std::unique_ptr<ChartDialog> m_dialog;

    void click(QPointF picture) {
        QTest::mouseClick(&m_dialog->view(), Qt::LeftButton, {}, m_dialog->view().toWidget({picture.x() - 0.5, picture.y() - 0.5}).toPoint());
    }
    /// Closer than the screen's own pixels: wheel in, then click.
    void clickFinely(QPointF picture) {
        ChartView& view = m_dialog->view();
        view.fit();
        const QPointF at = view.toWidget({picture.x() - 0.5, picture.y() - 0.5});
        for (int i = 0; i < 12; ++i) {
            QWheelEvent wheel(at, view.mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
            QApplication::sendEvent(&view, &wheel);
        }
        click(picture);
        view.fit();
    }
    void setPointsByHand() {
        for (QRadioButton* b : m_dialog->findChildren<QRadioButton*>())
            if (b->text().startsWith("Set points")) QTest::mouseClick(b, Qt::LeftButton, {}, {8, b->height() / 2});
    }
    QPushButton* use() { return m_dialog->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok); }
    void setAxes() {
        clickFinely(placeOf(400, 0));
        m_dialog->findChildren<QDoubleSpinBox*>()[1]->setValue(720);
        clickFinely(placeOf(720, 0));
        clickFinely(placeOf(400, 0.1));
        m_dialog->findChildren<QDoubleSpinBox*>()[2]->setValue(10);
        clickFinely(placeOf(400, 1));
    }
    void followAt(double nm) {
        clickFinely(placeOf(nm, filterAt(nm)));
        QTRY_VERIFY_WITH_TIMEOUT(!m_dialog->busy(), 20'000);
    }

private slots:
    void init() {
        m_dialog = std::make_unique<ChartDialog>(printedChart(), "Test");
        m_dialog->show();
        QVERIFY(QTest::qWaitForWindowExposed(m_dialog.get()));
    }

    void aPrintedChartGivesItsCurve() {
        QVERIFY(!use()->isEnabled());
        setAxes();
        QVERIFY(m_dialog->advice().contains("Click on the line"));
        followAt(580);
        const Curve curve = m_dialog->curve();
        QVERIFY2(use()->isEnabled(), qPrintable(m_dialog->advice()));
        const double worst = worstMiss(curve, filterAt, 406, 734);
        QVERIFY2(worst < 0.01, qPrintable(QString::number(worst)));
        const auto bands = bandsOf(curve);
        QCOMPARE(bands.size(), std::size_t{2});
        QVERIFY2(std::abs(bands[0].center_nm - 500.7) < 0.25 && std::abs(bands[1].center_nm - 656.3) < 0.25,
                 qPrintable(QString("%1 %2").arg(bands[0].center_nm).arg(bands[1].center_nm)));
        QVERIFY(std::abs(bands[0].fwhm_nm - 8) < 0.4 && std::abs(bands[1].fwhm_nm - 7) < 0.4);
    }

    void stepsAreUndone() {
        setAxes();
        followAt(580);
        const auto points = m_dialog->curve().wavelength_nm.size();
        QVERIFY(points > 30);
        setPointsByHand();
        click(placeOf(600, 0.5));
        QCOMPARE(m_dialog->curve().wavelength_nm.size(), points + 1);
        QTest::keyClick(m_dialog.get(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(m_dialog->curve().wavelength_nm.size(), points);
        QTest::keyClick(m_dialog.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(m_dialog->curve().empty());
    }

    void aPointIsDraggedAndDeleted() {
        setAxes();
        setPointsByHand();
        for (const double nm : {450.0, 520.0, 610.0, 700.0}) click(placeOf(nm, 0.4));
        QCOMPARE(m_dialog->curve().wavelength_nm.size(), std::size_t{4});
        ChartView& view = m_dialog->view();
        const QPoint from = view.toWidget({placeOf(520, 0.4).x() - 0.5, placeOf(520, 0.4).y() - 0.5}).toPoint(), to = from - QPoint(0, 60);
        QTest::mousePress(&view, Qt::LeftButton, {}, from);
        QTest::mouseMove(&view, from - QPoint(0, 30));
        QMouseEvent move(QEvent::MouseMove, to, view.mapToGlobal(to), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&view, &move);
        QTest::mouseRelease(&view, Qt::LeftButton, {}, to);
        QVERIFY2(m_dialog->curve().transmission[1] > 0.48, qPrintable(QString::number(m_dialog->curve().transmission[1])));
        QTest::keyClick(m_dialog.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(std::abs(m_dialog->curve().transmission[1] - 0.4) < 0.01);
        QTest::mouseClick(&view, Qt::LeftButton, {}, from);
        QTest::keyClick(&view, Qt::Key_Delete);
        QCOMPARE(m_dialog->curve().wavelength_nm.size(), std::size_t{3});
    }

    void allPointsAreRemovedAtOnce() {
        setAxes();
        setPointsByHand();
        const auto removeAll = [&] {
            for (QPushButton* b : m_dialog->findChildren<QPushButton*>())
                if (b->text() == "Remove all points") QTest::mouseClick(b, Qt::LeftButton);
        };
        removeAll(); // there are none: no step to undo either
        for (const double nm : {450.0, 520.0, 610.0}) click(placeOf(nm, 0.4));
        removeAll();
        QVERIFY(m_dialog->curve().empty() && !use()->isEnabled());
        QTest::keyClick(m_dialog.get(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(m_dialog->curve().wavelength_nm.size(), std::size_t{3});
    }

    /// Halfway between 1 and 100 % lies 10 % where the axis is logarithmic, and half of their sum where it is even.
    void aLogarithmicAxisIsRead() {
        setAxes(); // marks at a tenth and at the top
        m_dialog->findChildren<QDoubleSpinBox*>()[2]->setValue(1);
        setPointsByHand();
        for (const double nm : {450.0, 550.0, 650.0}) click(placeOf(nm, nm == 550 ? 0.55 : 0.1));
        QVERIFY(std::abs(m_dialog->curve().transmission[1] - 0.505) < 0.005);
        for (QCheckBox* b : m_dialog->findChildren<QCheckBox*>())
            if (b->text().contains("ogarithm")) QTest::mouseClick(b, Qt::LeftButton, {}, {8, b->height() / 2});
        QVERIFY2(std::abs(m_dialog->curve().transmission[1] - 0.1) < 0.003, qPrintable(QString::number(m_dialog->curve().transmission[1])));
        QVERIFY(std::abs(m_dialog->curve().transmission[0] - 0.01) < 0.0003);
        QVERIFY(std::abs(m_dialog->curve().wavelength_nm[1] - 550) < 0.5);
        // An axis that ends at nothing has no logarithm.
        m_dialog->findChildren<QDoubleSpinBox*>()[2]->setValue(0);
        QVERIFY(m_dialog->curve().empty());
        QVERIFY2(!use()->isEnabled() && !m_dialog->advice().isEmpty(), qPrintable(m_dialog->advice()));
    }

    void whatCannotBeIsSaid() {
        setAxes();
        clickFinely(placeOf(585, 0.55)); // empty paper
        QTRY_VERIFY(!m_dialog->busy());
        QVERIFY2(m_dialog->advice().contains("no line"), qPrintable(m_dialog->advice()));
        QVERIFY(!use()->isEnabled());
        m_dialog->findChildren<QDoubleSpinBox*>()[1]->setValue(400);
        QVERIFY2(m_dialog->advice().contains("marks"), qPrintable(m_dialog->advice()));
    }
};

CAELUMEN_WINDOW_TEST(ChartDialogTest)
#include "chart_dialog_test.moc"
