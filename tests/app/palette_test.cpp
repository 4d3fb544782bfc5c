#include "app/palette/palette.h"
#include "app/palette/palette_view.h"
#include "core/base/json.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QCheckBox>
#include <QComboBox>
#include <QImage>
#include <QSlider>

using namespace caelumen;

/// The Palette in the real window: one recipe for all filters, stars, looks, flipping and what leaves it.
class PaletteTest : public QObject, protected KitFixture {
    Q_OBJECT

    PaletteRoom& palette() { return m_window->palette(); }
    bool ready() {
        return QTest::qWaitFor([this] { return !palette().model().shots().empty() && !palette().model().busy(); }, 120'000);
    }
    void choose(QComboBox& box, int index) {
        box.setFocus();
        QTest::keyClick(&box, Qt::Key_Home);
        for (int i = 0; i < index; ++i) QTest::keyClick(&box, Qt::Key_Down);
        emit box.activated(box.currentIndex());
    }
    const PaletteModel::Shot& shot(int i) { return palette().model().shots().at(static_cast<std::size_t>(i)); }

private slots:
    void initTestCase() { makeScene(); }
    void init() {
        openWindow();
        QTest::keyClick(m_window.get(), Qt::Key_6, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Palette);
        QVERIFY(ready());
    }
    void cleanup() { m_window.reset(); }

    void everyFilterHasItsPicture() {
        QCOMPARE(palette().model().shots().size(), std::size_t(3));
        for (int i = 0; i < 3; ++i) {
            QVERIFY2(shot(i).preview, qPrintable(shot(i).problem));
            QVERIFY(!palette().view().tiles()[static_cast<std::size_t>(i)].image.isNull());
        }
        QVERIFY(!palette().view().placeOf(1).intersects(palette().view().placeOf(2)));
    }

    void flippingAndHolding() {
        PaletteView& view = palette().view();
        QTest::mouseClick(&view, Qt::LeftButton, {}, view.placeOf(1).center().toPoint());
        QCOMPARE(view.alone(), 1);
        view.setFocus();
        QTest::keyClick(&view, Qt::Key_Right);
        QCOMPARE(view.alone(), 2);
        QTest::keyClick(&view, Qt::Key_1);
        QCOMPARE(view.alone(), 0);
        QTest::keyClick(&view, Qt::Key_3);
        QTest::keyPress(&view, Qt::Key_Space);
        QVERIFY(view.showsFirst());
        QTest::keyRelease(&view, Qt::Key_Space);
        QVERIFY(!view.showsFirst());
        QTest::keyClick(&view, Qt::Key_Escape);
        QCOMPARE(view.alone(), -1);
    }

    void oneLookForAll() {
        const QImage before = palette().model().image(1);
        palette().depthSlider().setFocus();
        QTest::keyClick(&palette().depthSlider(), Qt::Key_End);
        QVERIFY(palette().model().depth() == 1 && palette().model().image(1) != before);
    }

    void recipesAndStars() {
        choose(palette().startBox(), 1); // sulphur: nobody has it here
        QVERIFY(ready());
        QVERIFY(!shot(1).preview && shot(1).problem.contains("sulphur"));
        choose(palette().startBox(), 3);
        QVERIFY(ready() && shot(0).preview);
        const Plane kept = shot(0).preview->planes[0];
        choose(palette().starsBox(), 3);
        QVERIFY(ready());
        QVERIFY2(shot(0).preview, qPrintable(shot(0).problem));
        float most = 0, left = 0;
        for (std::size_t i = 0; i < kept.size(); ++i) most = std::max(most, kept.data()[i]), left = std::max(left, shot(0).preview->planes[0].data()[i]);
        QVERIFY(left < 0.5F * most);
        choose(palette().startBox(), palette().startBox().count() - 1); // one's own
        choose(palette().starsBox(), 0);
        QVERIFY(ready());
        auto* matrix = byName<QSlider>(palette(), "B of H");
        QVERIFY(matrix && matrix->isVisible());
        matrix->setFocus();
        QTest::keyClick(matrix, Qt::Key_End);
        QVERIFY(ready());
        QCOMPARE(palette().model().wish().map[2].at("H"), 1.0);
    }

    void picturesAndRecipesGoOut() {
        for (const char* ending : {"png", "tif", "json"}) {
            m_answers->save = at("picture");
            palette().askExport(ending);
            QVERIFY2(QTest::qWaitFor([&] { return QFile::exists(at("picture.") + ending) && !palette().model().busy(); }, 60'000), ending);
        }
        QCOMPARE(QImage(at("picture.png")).width(), 640);
        QVERIFY(Json::parse(*readText(m_folder / "picture.json"))["caelumen_palette"] == 1);
        m_answers->save = QString::fromStdString(m_window->session().trial().runs[0].stack);
        palette().askExport("tif");
        QVERIFY(!problem().isEmpty());
    }
};

CAELUMEN_WINDOW_TEST(PaletteTest)
#include "palette_test.moc"
