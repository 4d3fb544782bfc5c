#include "app/palette/palette.h"
#include "app/palette/palette_panel.h"
#include "app/palette/palette_shelf.h"
#include "app/palette/palette_view.h"
#include "core/base/json.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QImage>
#include <QImageReader>
#include <QMimeData>
#include <QSlider>
#include <QSpinBox>
#include <QToolButton>

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
    PalettePanel& panel() { return palette().panel(); }
    PaletteView& view() { return palette().view(); }
    QImage image(int i) { return palette().model().image(static_cast<std::size_t>(i), {400, 300}); }
    QImage grabbed() { return view().grab().toImage(); }
    bool inMenu(const QString& text) {
        for (QAction* a : panel().findChildren<QAction*>())
            if (a->text() == text && a->isEnabled()) return a->trigger(), true;
        return false;
    }
    const PaletteModel::Shot& shot(int i) { return palette().model().shots().at(static_cast<std::size_t>(i)); }

private slots:
    void initTestCase() { makeScene(); }
    void init() {
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/recipes").removeRecursively();
        openWindow();
        QTest::keyClick(m_window.get(), Qt::Key_6, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Palette);
        QVERIFY(ready());
    }
    void cleanup() {
        m_window.reset();
        QFile::remove(at("settings"));
        QDir(at("settings")).removeRecursively();
    }

    void everyFilterHasItsPicture() {
        QCOMPARE(palette().model().shots().size(), std::size_t(3));
        for (int i = 0; i < 3; ++i) {
            QVERIFY2(shot(i).prepared, qPrintable(shot(i).problem));
            QVERIFY(!image(i).isNull());
            QCOMPARE(view().tiles()[static_cast<std::size_t>(i)].size.width(), 640);
        }
        QVERIFY(!view().placeOf(1).intersects(view().placeOf(2)));
    }

    void flippingAndHolding() {
        QTest::mouseClick(&view(), Qt::LeftButton, {}, view().placeOf(1).center().toPoint());
        QCOMPARE(view().alone(), 1);
        view().setFocus();
        QTest::keyClick(&view(), Qt::Key_Right);
        QCOMPARE(view().alone(), 2);
        QTest::keyClick(&view(), Qt::Key_1);
        QCOMPARE(view().alone(), 0);
        QTest::keyClick(&view(), Qt::Key_3);
        QTest::keyPress(&view(), Qt::Key_Space);
        QVERIFY(view().showsFirst());
        QTest::keyRelease(&view(), Qt::Key_Space);
        QVERIFY(!view().showsFirst());
        QTest::keyClick(&view(), Qt::Key_Escape);
        QCOMPARE(view().alone(), -1);
    }

    void aCurtainBetweenTwo() {
        view().setFocus();
        QTest::keyClick(&view(), Qt::Key_2);
        const QImage second = grabbed();
        QTest::keyClick(&view(), Qt::Key_1);
        const QImage first = grabbed();
        QTest::keyClick(&view(), Qt::Key_2);
        QTest::keyClick(&view(), Qt::Key_C);
        QVERIFY(view().curtain());
        QCOMPARE(view().behind(), 0);
        const QRectF picture = view().pictureOf(1);
        const auto drag = [&](double from, double to) {
            const auto at = [&](double part) { return QPointF(picture.left() + part * picture.width(), picture.center().y()).toPoint(); };
            QTest::mousePress(&view(), Qt::LeftButton, {}, at(from));
            QTest::mouseMove(&view(), at(to));
            QTest::mouseRelease(&view(), Qt::LeftButton, {}, at(to));
        };
        drag(0.5, 0.25);
        QVERIFY(std::abs(view().edge() - 0.25) < 0.01);
        const QImage both = grabbed();
        const auto same = [&](const QImage& a, double part) { // of pixels in a column of the picture
            const int x = static_cast<int>(picture.left() + part * picture.width());
            int alike = 0, all = 0;
            for (int y = static_cast<int>(picture.top()) + 5; y < static_cast<int>(picture.bottom()) - 5; ++y)
                alike += both.pixel(x, y) == a.pixel(x, y), ++all;
            return static_cast<double>(alike) / all;
        };
        QVERIFY(same(first, 0.1) == 1 && same(second, 0.1) < 0.9);
        QVERIFY(same(second, 0.6) == 1 && same(first, 0.6) < 0.9);
        QTest::keyClick(&view(), Qt::Key_Right, Qt::ShiftModifier);
        QVERIFY(std::abs(view().edge() - 0.3) < 0.01);
        QTest::keyClick(&view(), Qt::Key_Down);
        QCOMPARE(view().behind(), 1);
        QTest::keyClick(&view(), Qt::Key_C);
        QVERIFY(!view().curtain());
    }

    void pixelsStayInPlace() {
        view().setFocus();
        QTest::keyClick(&view(), Qt::Key_1);
        const QRectF picture = view().pictureOf(0);
        const QPoint there = QPointF(picture.left() + 0.3 * picture.width(), picture.top() + 0.6 * picture.height()).toPoint();
        QTest::mouseClick(&view(), Qt::LeftButton, {}, there); // the first of the two brings all back
        QTest::mouseDClick(&view(), Qt::LeftButton, {}, there);
        QCOMPARE(view().zoom(), PaletteView::Zoom::Pixels);
        QVERIFY2(std::abs(view().middle().x() - 0.3) < 0.02 && std::abs(view().middle().y() - 0.6) < 0.02,
                 qPrintable(QString("%1 %2 %3").arg(view().middle().x()).arg(view().middle().y()).arg(view().alone())));
        QTest::keyClick(&view(), Qt::Key_2);
        QVERIFY(std::abs(view().middle().x() - 0.3) < 0.02); // the next filter shows the same place
        const QPointF before = view().middle();
        view().setMiddle({0.5, 0.5});
        const QPoint from = view().pictureOf(1).center().toPoint();
        QTest::mousePress(&view(), Qt::LeftButton, {}, from);
        QTest::mouseMove(&view(), from + QPoint(-32, 0));
        QTest::mouseRelease(&view(), Qt::LeftButton, {}, from + QPoint(-32, 0));
        QVERIFY(std::abs(view().middle().x() - (0.5 + 32 * view().devicePixelRatioF() / 640)) < 0.01);
        QVERIFY(view().middle() != before);
        // What is painted are the frame's own pixels.
        view().setMiddle({0.5, 0.5});
        const QImage whole = palette().model().part(1, {0, 0, 640, 640});
        QCOMPARE(whole.width(), 640);
        QTest::keyClick(&view(), Qt::Key_Escape);
        QCOMPARE(view().zoom(), PaletteView::Zoom::Whole);
        QToolButton* print = nullptr;
        for (QToolButton* b : palette().findChildren<QToolButton*>())
            if (b->text() == "Print size") print = b;
        QVERIFY(print);
        QTest::mouseClick(print, Qt::LeftButton);
        QCOMPARE(view().zoom(), PaletteView::Zoom::Print);
        palette().dpiBox().setValue(150);
        bool said = false;
        for (const QLabel* l : palette().findChildren<QLabel*>()) said |= l->text().contains("10.8") && l->text().contains("cm"); // 640 / 150 x 2.54
        QVERIFY(said);
    }

    void oneLookForAll() {
        const QImage before = image(1);
        panel().depthSlider().setFocus();
        QTest::keyClick(&panel().depthSlider(), Qt::Key_End);
        QVERIFY(palette().model().depth() == 1 && image(1) != before);
        const QImage colours = image(1);
        choose(panel().eyesBox(), 2);
        QVERIFY(image(1) != colours);
    }

    void otherHours() {
        const QImage own = image(1);
        choose(panel().timeBox(), 1);
        QVERIFY(ready());
        panel().hoursSlider().setFocus();
        QTest::keyClick(&panel().hoursSlider(), Qt::Key_Home);
        QVERIFY(!palette().model().busy()); // the slider reads nothing again
        QVERIFY(panel().hours() < 0.06);
        QVERIFY(image(1) != own);
        for (std::size_t i = 0; i < 3; ++i) QCOMPARE(palette().model().hoursOf(i).value_or(0), panel().hours());
        QTest::keyClick(&panel().hoursSlider(), Qt::Key_End);
        QVERIFY2(palette().model().timeText(1).contains("PREDICTED"), qPrintable(palette().model().timeText(1)));
        QVERIFY(palette().page().toPlainText().contains("PREDICTED"));
        const double noise = palette().model().told(1).noise[0];
        choose(panel().timeBox(), 0);
        QVERIFY(palette().model().told(1).noise[0] > 3 * noise);
        choose(panel().timeBox(), 2); // same depth: the baseline takes longer than a narrow filter
        const auto open = palette().model().hoursOf(0), duo = palette().model().hoursOf(1);
        QVERIFY2(duo && (!open || *open > *duo), qPrintable(QString("%1 %2").arg(open.value_or(-1)).arg(duo.value_or(-1))));
    }

    void recipesAndStars() {
        choose(panel().startBox(), 1); // sulphur: nobody has it here
        QVERIFY(ready());
        QVERIFY(!shot(1).prepared && shot(1).problem.contains("sulphur"));
        choose(panel().startBox(), 3);
        QVERIFY(ready() && shot(0).prepared);
        const Plane kept = mix(shot(0).prepared->sizes[0], shot(0).prepared->recipe).planes[0];
        choose(panel().starsBox(), 3);
        QVERIFY(ready());
        QVERIFY2(shot(0).prepared, qPrintable(shot(0).problem));
        const Plane without = mix(shot(0).prepared->sizes[0], shot(0).prepared->recipe).planes[0];
        float most = 0, left = 0;
        for (std::size_t i = 0; i < kept.size(); ++i) most = std::max(most, kept.data()[i]), left = std::max(left, without.data()[i]);
        QVERIFY(left < 0.5F * most);
        choose(panel().starsBox(), 0);
        choose(panel().startBox(), 5); // one's own
        QVERIFY(ready());
        auto* matrix = byName<QSlider>(palette(), "B of H");
        QVERIFY(matrix && matrix->isVisible());
        const QImage before = image(1);
        matrix->setFocus();
        QTest::keyClick(matrix, Qt::Key_End);
        QVERIFY(!palette().model().busy()); // parts follow the slider without reading again
        QCOMPARE(palette().model().wish().map[2].at("H"), 1.0);
        QVERIFY(image(1) != before);
    }

    void recipesAreKeptAndShared() {
        choose(panel().startBox(), 5);
        QVERIFY(ready());
        auto* matrix = byName<QSlider>(palette(), "G of H");
        matrix->setFocus();
        QTest::keyClick(matrix, Qt::Key_End);
        m_answers->name = "Rose";
        QVERIFY(inMenu(QString::fromUtf8("Keep this recipe by name \u2026")));
        QVERIFY2(problem().isEmpty(), qPrintable(problem()));
        QCOMPARE(panel().recipeName(), QString("Rose"));
        QCOMPARE(ownRecipes().size(), std::size_t(1));
        QCOMPARE(ownRecipes()[0].map[1].at("H"), 1.0);
        m_answers->save = at("rose.json");
        QVERIFY(inMenu(QString::fromUtf8("Share it as a file \u2026")));
        const auto shared = Json::parse(*readText(m_folder / "rose.json"));
        QVERIFY(shared["name"] == "Rose" && !shared.contains("inputs"));
        QVERIFY(inMenu("Forget the chosen recipe"));
        QVERIFY(ownRecipes().empty());
        QCOMPARE(palette().model().wish().map[1].at("H"), 1.0); // its matrix stays
        m_answers->save = at("rose.json");
        QVERIFY(inMenu(QString::fromUtf8("Take one from a file \u2026")));
        QCOMPARE(panel().recipeName(), QString("Rose"));
        QVERIFY(ready());
        QVERIFY(shot(1).prepared);
        // Another window begins with it.
        m_window->close();
        openWindow();
        m_window->showWorkspace(MainWindow::Workspace::Palette);
        QVERIFY(ready());
        QCOMPARE(panel().recipeName(), QString("Rose"));
        QVERIFY(writeFile(m_folder / "bad.json", "{\"caelumen_palette\": 1}").ok());
        m_answers->save = at("bad.json");
        m_answers->name = "One/two";
        QVERIFY(inMenu(QString::fromUtf8("Keep this recipe by name \u2026")));
        QVERIFY(!problem().isEmpty());
    }

    void picturesAndRecipesGoOut() {
        for (const char* what : {"png", "tif", "json", "webp", "sheet", "recipes"}) {
            const QString name = at(what);
            m_answers->save = name;
            palette().askExport(what);
            const QString ending = QString(what) == "sheet" || QString(what) == "recipes" ? "png" : what;
            QVERIFY2(QTest::qWaitFor([&] { return QFile::exists(name + "." + ending) && !palette().model().busy(); }, 60'000), what);
        }
        const QImage png(at("png.png"));
        QCOMPARE(png.width(), 640);
        QCOMPARE(png.dotsPerMeterX(), 11811); // 300 dpi
        QVERIFY(png.text("Description").contains("conditions="));
        QVERIFY(Json::parse(*readText(m_folder / "json.json"))["caelumen_palette"] == 1);
        QVERIFY(QImage(at("sheet.png")).width() == 1920 && QImage(at("recipes.png")).height() > 1000);
        const auto webp = readBytes(m_folder / "webp.webp", 1U << 26U);
        QVERIFY(webp && webp->substr(0, 4) == "RIFF" && webp->find("ANIM") != std::string::npos);
        std::size_t frames = 0;
        for (std::size_t at = webp->find("ANMF"); at != std::string::npos; at = webp->find("ANMF", at + 4)) ++frames;
        QVERIFY2(frames >= 3, qPrintable(QString::number(frames)));
        m_answers->save = QString::fromStdString(m_window->session().trial().runs[0].stack);
        palette().askExport("tif");
        QVERIFY(!problem().isEmpty());
        palette().copyShown();
        QVERIFY(QGuiApplication::clipboard()->mimeData()->hasImage() && QGuiApplication::clipboard()->text().contains("H = Ha"));
    }
};

CAELUMEN_WINDOW_TEST(PaletteTest)
#include "palette_test.moc"
