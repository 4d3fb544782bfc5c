#include "app/kit/camera_dialog.h"
#include "app/kit/rig_dialog.h"
#include "core/base/file.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QComboBox>
#include <QDir>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QStandardPaths>

using namespace caelumen;

/// Telescopes and cameras in the Kit: described in dialogs, dropped as files, kept and exported.
class KitEquipmentTest : public QObject, protected KitFixture {
    Q_OBJECT

private slots:
    void initTestCase() { makeScene(); }
    void init() { openWindow(); }
    void cleanup() { m_window.reset(); }

    void theTelescopeIsDescribed() {
        clickFilter(2);
        whenAsked<RigDialog>([](RigDialog& dialog) {
            const auto fields = dialog.findChildren<QLineEdit*>();
            fields[1]->setText("never");
            dialog.accept();
            QVERIFY(dialog.isVisible());
            fields[1]->setText("336");
            fields[2]->setText("0,8");
            fields[6]->setText("55");
            fields[7]->setText("2");
            dialog.accept();
        });
        QVERIFY(chooseFromMenu(QString::fromUtf8("Telescope of the trial \u2026")));
        QCOMPARE(*m_window->session().trial().rig.reducer, 0.8);
        QVERIFY(std::abs(kit().cone().fRatio - 4.0) < 0.05); // 336 mm over 84 mm
        QVERIFY2(said().contains("55.00 mm") && said().contains("55.68"), qPrintable(said()));
    }

    void aCameraOfOnesOwnIsKept() {
        clickFilter(1);
        const int before = kit().cameraBox().count();
        QVERIFY(
            writeFile(m_folder / "camera.json", R"({"caelumen_camera": 1, "name": "Garden shed 9", "pixel_um": 9, "gains": [{"setting": 30, "e_per_adu": 1.1}],
            "channels": [{"name": "L", "points": [[300, 0], [400, 0.5], [700, 0.5], [1000, 0]]}]})")
                .ok());
        drop(at("camera.json"));
        QCOMPARE(kit().cameraBox().count(), before + 1);
        QCOMPARE(kit().cameraBox().currentText(), QString("Garden shed 9"));
        QCOMPARE(kit().facts().system.size(), std::size_t{1});
        QVERIFY(said().contains("1.10"));
        drop(at("camera.json")); // again: replaced, not doubled
        QCOMPARE(kit().cameraBox().count(), before + 1);
        m_answers->save = at("camera out.json");
        QVERIFY(chooseFromMenu(QString::fromUtf8("Export this camera \u2026")));
        const auto text = readText(m_folder / "camera out.json");
        QVERIFY(text.ok() && text->find("Garden shed 9") != std::string::npos);
        QVERIFY(writeFile(m_folder / "camera bad.json", R"({"caelumen_camera": 1, "name": "x", "channels": [{"name": "Q"}]})").ok());
        drop(at("camera bad.json"));
        QVERIFY2(problem().contains("R, G, B or L"), qPrintable(problem()));
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/cameras").removeRecursively();
    }

    void aCameraIsDescribedInTheWindow() {
        clickFilter(1);
        QVERIFY(writeFile(m_folder / "red.csv", "nm;%\n550;0\n600;80\n680;70\n720;0\n").ok());
        m_answers->save = at("red.csv");
        const auto describe = [&](auto change) {
            whenAsked<CameraDialog>([change](CameraDialog& dialog) {
                change(dialog);
                for (QPushButton* b : dialog.findChildren<QPushButton*>())
                    if (b->text().contains("OK")) QTest::mouseClick(b, Qt::LeftButton);
            });
            QVERIFY(chooseFromMenu(QString::fromUtf8("Describe this camera \u2026")));
        };
        const auto edit = [](CameraDialog& d, const QString& label) -> QLineEdit* {
            for (QLabel* l : d.findChildren<QLabel*>())
                if (l->text().startsWith(label)) return qobject_cast<QLineEdit*>(l->buddy());
            return nullptr;
        };
        describe([&](CameraDialog& d) {
            QVERIFY(edit(d, "Name"));
            edit(d, "Name")->setText("Roof camera");
            edit(d, "Pixel")->setText("5,4");
            d.findChild<QPlainTextEdit*>()->setPlainText("0; 1,5; 6\n200, 0.4, 2.1\n");
            for (QPushButton* b : d.findChildren<QPushButton*>())
                if (b->text().startsWith("Import its curve")) QTest::mouseClick(b, Qt::LeftButton); // red is chosen first
        });
        QCOMPARE(kit().cameraBox().currentText(), QString("Roof camera"));
        const Camera* camera = kit().facts().camera;
        QCOMPARE(*camera->pixel_um, 5.4);
        QCOMPARE(camera->gains.size(), std::size_t{2});
        QCOMPARE(camera->gains[0].e_per_adu, 1.5);
        QCOMPARE(*camera->gains[1].read_noise_e, 2.1);
        QVERIFY(std::abs(camera->channels[0].efficiency.at(600) - 0.8) < 1e-9);
        describe([&](CameraDialog& d) { edit(d, "Name")->setText("Roof camera, cooled"); });
        QVERIFY(kit().cameraBox().findText("Roof camera") < 0);                                   // renamed, not doubled
        describe([&](CameraDialog& d) { d.findChild<QPlainTextEdit*>()->setPlainText("fast"); }); // stays open with its reason, then given up
        QCOMPARE(kit().facts().camera->gains.size(), std::size_t{2});
        // Channels are taken away one by one; without any there is no camera.
        const auto click = [](CameraDialog& d, const QString& text) {
            for (QPushButton* b : d.findChildren<QPushButton*>())
                if (b->text().startsWith(text)) QTest::mouseClick(b, Qt::LeftButton);
        };
        const auto before = kit().facts().camera->channels.size();
        QVERIFY(before > 1); // those of the camera that it was begun from, red replaced
        describe([&](CameraDialog& d) {
            byName<QComboBox>(d, "Channel")->setCurrentText("G");
            click(d, "Import its curve");
        });
        QCOMPARE(kit().facts().camera->channels.size(), before); // green is replaced too
        describe([&](CameraDialog& d) {
            byName<QListWidget>(d, "Channels")->setCurrentRow(1);
            click(d, "Remove the chosen one");
        });
        QCOMPARE(kit().facts().camera->channels.size(), before - 1);
        QCOMPARE(kit().facts().camera->channels[0].name, std::string("R"));
        QString complaint;
        describe([&](CameraDialog& d) {
            for (auto* channels = byName<QListWidget>(d, "Channels"); channels->count() > 0;) {
                channels->setCurrentRow(0);
                click(d, "Remove the chosen one");
            }
            d.accept();
            for (const QLabel* l : d.findChildren<QLabel*>())
                if (l->isVisible() && l->text().contains("at least one channel")) complaint = l->text();
        });
        QVERIFY(!complaint.isEmpty());
        QCOMPARE(kit().facts().camera->channels.size(), before - 1);

        cleanup();
        init(); // the choice outlives the window
        QCOMPARE(kit().cameraBox().currentText(), QString("Roof camera, cooled"));
        QVERIFY(chooseFromMenu("Remove this camera"));
        QVERIFY(kit().cameraBox().findText("Roof camera, cooled") < 0);
        QVERIFY(chooseFromMenu("Remove this camera")); // now a typical one
        QVERIFY2(problem().contains("stays"), qPrintable(problem()));
    }

    void gainsAreReadAsPeopleWriteThem() {
        const auto read = gainsFromText("100, 0.25, 1.5\n\n200;0,1;1,2\n300 0.08");
        QVERIFY(read.ok());
        QCOMPARE(read->size(), std::size_t{3});
        QCOMPARE((*read)[1].e_per_adu, 0.1);
        QCOMPARE(*(*read)[1].read_noise_e, 1.2);
        QVERIFY(!(*read)[2].read_noise_e);
        QCOMPARE(gainsFromText(gainsToText(*read))->size(), std::size_t{3});
        for (const char* bad : {"100", "a, b", "100, 0", "100, 1, -2", "1,2,3,4"}) QVERIFY2(!gainsFromText(bad).ok(), bad);
    }
};

CAELUMEN_WINDOW_TEST(KitEquipmentTest)
#include "kit_equipment_test.moc"
