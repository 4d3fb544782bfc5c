#include "core/base/statistics.h"
#include "core/image/frame_file.h"
#include "report/colour_file.h"
#include "report/grid_picture.h"
#include "report/local_number.h"
#include "support/scenes.h"

#include <QBuffer>
#include <QImageReader>
#include <QRegularExpression>
#include <QTest>
#include <QXmlStreamReader>

#include <set>

using namespace caelumen;

/// What leaves the program as a picture or as a number with its error.
class DrawingsTest : public QObject {
    Q_OBJECT

    static GridPicture grid(int rows, int columns) {
        GridPicture p;
        p.title = "Time to the same depth <of emission> & more";
        for (int r = 0; r < rows; ++r)
            p.rows.push_back({QString("f%1").arg(r), r == 1 ? QString("A filter whose maker likes long names & numbers") : QString("Glass %1").arg(r),
                              filterStyle(r, r == 0)});
        for (int c = 0; c < columns; ++c) {
            p.columns.push_back(skyOfClass(1 + c % 9, std::nullopt));
            p.places.push_back(c == 1 ? QString("Witteklip Observatory on the upland") : QString());
        }
        for (int r = 0; r < rows; ++r)
            for (int c = 0; c < columns; ++c) {
                GridCell cell;
                cell.filter = "f" + std::to_string(r);
                cell.origin = static_cast<CellOrigin>((r + c) % 4);
                cell.value = 1 + r + 0.3 * c, cell.sigma = 0.2;
                cell.reason = "nothing is known";
                p.cells.push_back(cell);
            }
        return p;
    }
    static ColourPicture picture(int width, int height) {
        ColourPicture p;
        p.width = width, p.height = height;
        Random random(4);
        for (std::size_t c = 0; c < 3; ++c) {
            p.planes[c] = Plane(width, height);
            for (std::size_t i = 0; i < p.planes[c].size(); ++i)
                p.planes[c].data()[i] = static_cast<float>(0.5 + 0.4 * static_cast<double>(c) + 0.05 * random.normal() + (i % 97 == 0 ? 30 : 0));
            p.noise[c] = 0.05, p.sky[c] = 0.5 + 0.4 * static_cast<double>(c);
        }
        p.planes[1].at(3, 2) = kNoData;
        p.done = {"The sky was taken away"};
        p.conditions = {"20 x 180 s under class 4"};
        return p;
    }

private slots:
    /// Whatever is measured: the error has one or two digits, value and error the same last place, and nothing is off by more than half of it.
    void numbersWithErrorsAreRoundedAlike() {
        Random random(11);
        static const QRegularExpression form(QString::fromUtf8("^(-?\\d+(?:\\.(\\d+))?) \u00B1(\\d+(?:\\.(\\d+))?)$"));
        for (int i = 0; i < 4000; ++i) {
            const double sigma = std::pow(10, 9 * random.uniform() - 5), value = 200 * sigma * random.normal();
            const QString text = withError(value, sigma);
            const auto match = form.match(text);
            QVERIFY2(match.hasMatch(), qPrintable(text));
            QCOMPARE(match.captured(2).size(), match.captured(4).size());
            const double shownValue = match.captured(1).toDouble(), shownSigma = match.captured(3).toDouble();
            const double last = match.captured(4).isEmpty()
                                    ? std::pow(10, std::floor(std::log10(sigma)) - (sigma / std::pow(10, std::floor(std::log10(sigma))) < 1.95 ? 1 : 0))
                                    : std::pow(10, -match.captured(4).size());
            QVERIFY2(std::abs(shownValue - value) <= 0.5 * std::max(1.0, last) + 1e-9 || std::abs(shownValue - value) <= 0.5 * last * (1 + 1e-9),
                     qPrintable(text));
            QVERIFY2(std::abs(shownSigma / sigma - 1) < 0.26, qPrintable(text)); // 0.196 is the coarsest: 0.2; 0.25 is 0.2 or 0.3
            QString digits = match.captured(3);
            digits.remove('.');
            while (digits.startsWith('0')) digits.remove(0, 1);
            while (digits.size() > 1 && digits.endsWith('0') && match.captured(4).isEmpty()) digits.chop(1);
            QVERIFY2(digits.size() >= 1 && digits.size() <= 2, qPrintable(text));
        }
        QCOMPARE(withError(27.96, 6.3), QString::fromUtf8("28 \u00B16"));
        QCOMPARE(withError(0.0312, 0.0021), QString::fromUtf8("0.031 \u00B10.002"));
        QCOMPARE(withError(0.0312, 0.0013), QString::fromUtf8("0.0312 \u00B10.0013"));
        QCOMPARE(withError(12345, 678), QString::fromUtf8("12300 \u00B1700"));
        for (const double none : {0.0, -1.0, std::nan("")}) QCOMPARE(withError(2.5, none), QString("2.5")); // no error, none said
    }

    void gridsHaveRoomForWhatTheyHold() {
        for (const auto& [rows, columns] : {std::pair{1, 1}, {3, 4}, {12, 9}})
            for (const double font : {11.0, 14.0, 22.0}) {
                const GridPicture p = grid(rows, columns);
                const QSizeF size = leastGridSize(p, font);
                const GridLayout lay = layGrid(p, size, font);
                const QRectF whole(QPointF(), size);
                QVERIFY(whole.adjusted(-1, -1, 1, 1).contains(lay.body));
                for (int r = 0; r < rows; ++r) {
                    QVERIFY(!lay.label(r).intersects(lay.body.adjusted(1, 1, -1, -1)));
                    QVERIFY(r == 0 || lay.label(r).top() >= lay.label(r - 1).bottom() - 1e-9);
                    for (int c = 0; c < columns; ++c) {
                        QVERIFY(lay.body.adjusted(-1e-6, -1e-6, 1e-6, 1e-6).contains(lay.cell(r, c)));
                        QVERIFY(lay.cell(r, c).height() >= 2.5 * font - 1e-9); // two lines of text
                        QVERIFY(c == 0 || std::abs(lay.cell(r, c).left() - lay.cell(r, c - 1).right()) < 1e-9);
                    }
                }
                for (int c = 0; c < columns; ++c) QVERIFY(lay.header(c).bottom() <= lay.body.top() && lay.header(c).top() >= 2 * font);
            }
        // More room than is needed is not filled by giants, and an empty grid has a place too.
        const GridLayout wide = layGrid(grid(2, 2), {4000, 3000}, 14);
        QVERIFY(wide.columnWidth <= 11 * 14 && wide.rowHeight <= 6.5 * 14);
        QVERIFY(layGrid({}, {600, 400}, 14).rowHeight > 0);
        const GridPicture p = grid(3, 4);
        QCOMPARE(p.at(2, 3), &p.cells.back());
        for (const auto& [row, column] : {std::pair{-1, 0}, {0, -1}, {3, 0}, {0, 4}}) QVERIFY(!p.at(row, column));
    }

    void cellsSayWhatTheyHold() {
        GridCell c;
        QCOMPARE(cellText(c, GridQuantity::TimeRatio), QString::fromUtf8("\u2013"));
        c.origin = CellOrigin::Measured, c.value = 1;
        QCOMPARE(cellText(c, GridQuantity::TimeRatio), QString("1")); // the baseline beside itself
        c.value = 6.93, c.sigma = 0.41;
        QCOMPARE(cellText(c, GridQuantity::TimeRatio), withError(6.93, 0.41));
    }

    /// Measured, scaled, modelled and empty never look alike, and the drawing is well formed with every name in it.
    void gridsAreDrawnWhole() {
        const GridPicture p = grid(4, 5);
        QXmlStreamReader xml(gridSvg(p));
        QString words;
        while (!xml.atEnd()) {
            xml.readNext();
            if (xml.isCharacters()) words += xml.text().toString() + ' ';
        }
        QVERIFY2(!xml.hasError(), qPrintable(xml.errorString()));
        for (const char* text : {"Time to the same depth <of emission> & more", "Glass 0", "Glass 3", "measured", "scaled from a measurement", "Witteklip"})
            QVERIFY2(words.contains(text), text);
        const QImage one = gridImage(p, 1), two = gridImage(p, 2);
        QVERIFY(std::abs(two.width() - 2 * one.width()) <= 1 && std::abs(two.height() - 2 * one.height()) <= 1);
        std::set<QByteArray> looks;
        for (const CellOrigin origin : {CellOrigin::Measured, CellOrigin::Scaled, CellOrigin::Modelled, CellOrigin::Empty}) {
            GridPicture single = grid(1, 1);
            single.cells[0].origin = origin;
            const QImage image = gridImage(single, 1);
            looks.insert(QByteArray(reinterpret_cast<const char*>(image.constBits()), image.sizeInBytes()));
        }
        QCOMPARE(looks.size(), std::size_t(4));
        GridPicture marked = p;
        marked.frontier = 2;
        QVERIFY(gridImage(marked, 1) != one);
        gridImage({}, 1); // nothing to draw is no reason to fail
    }

    /// A linear picture in 32 bits has the light that it was made of, to the last digit, and what was done to it.
    void linearPicturesKeepTheirLight() {
        const scenes::Folder folder;
        const ColourPicture p = picture(61, 43);
        Recipe recipe;
        recipe.name = "As it is", recipe.stretched = false;
        QVERIFY(writeColourPicture(folder / "linear.tif", recipe, p, {}, 300).ok());
        const auto file = FrameFile::open(folder / "linear.tif");
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        QCOMPARE(file->info().width, 61);
        for (std::size_t c = 0; c < 3; ++c) {
            const auto plane = file->readChannel(c);
            QVERIFY(plane.ok());
            for (std::size_t i = 0; i < plane->size(); ++i) {
                const float v = p.planes[c].data()[i];
                QCOMPARE(plane->data()[i], v == v ? v : 0.0F);
            }
        }
        // In 16 bits: in proportion, with the factor said.
        QVERIFY(writeColourPicture(folder / "linear.png", recipe, p).ok());
        QImageReader reader(QString::fromStdString((folder / "linear.png").string()));
        const QImage image = reader.read().convertToFormat(QImage::Format_RGBX64);
        QCOMPARE(image.size(), QSize(61, 43));
        const auto said = QRegularExpression("factor=([0-9.e+]+)").match(image.text("Description"));
        QVERIFY2(said.hasMatch(), qPrintable(image.text("Description")));
        QVERIFY(image.text("Description").contains("The sky was taken away") && image.text("Description").contains("class 4"));
        const double factor = said.captured(1).toDouble();
        for (int y = 0; y < 43; y += 5)
            for (int x = 0; x < 61; x += 7) {
                const QRgba64 seen = image.pixelColor(x, y).rgba64();
                QVERIFY(std::abs(seen.red() - factor * static_cast<double>(p.planes[0].at(x, y))) < 1);
                QVERIFY(std::abs(seen.blue() - factor * static_cast<double>(p.planes[2].at(x, y))) < 1);
            }
    }

    /// A stretched one says in its corner what was done, and in its metadata how to make it again.
    void stretchedPicturesSayWhatWasDone() {
        const scenes::Folder folder;
        const ColourPicture p = picture(400, 240);
        Recipe recipe;
        recipe.name = "Rose";
        QVERIFY(writeColourPicture(folder / "a.png", recipe, p, {}, 150).ok());
        const QImage image(QString::fromStdString((folder / "a.png").string()));
        QVERIFY(std::abs(image.dotsPerMeterX() * 0.0254 - 150) < 0.5);
        QVERIFY(image.text("Recipe").contains("Rose"));
        QVERIFY2(image.text("Software").startsWith("caelumen", Qt::CaseInsensitive), qPrintable(image.text("Software")));
        const QImage bare = shownImage(p, lookOf(p, recipe.light, recipe.depth));
        const auto differs = [&](const QRect& where) {
            int n = 0;
            for (int y = where.top(); y <= where.bottom(); ++y)
                for (int x = where.left(); x <= where.right(); ++x) n += std::abs(qGray(image.pixel(x, y)) - qGray(bare.pixel(x, y))) > 3;
            return n;
        };
        QCOMPARE(differs({0, 0, 400, 150}), 0);        // the picture is as it was seen
        QVERIFY(differs({0, 200, 400, 40}) > 400 * 5); // its foot is written on
        QVERIFY(writeColourPicture(folder / "LOUD.TIF", recipe, p).ok());
        for (const char* name : {"a.jpg", "a"}) {
            const auto refused = writeColourPicture(folder / name, recipe, p);
            QVERIFY(!refused.ok() && refused.error().message.find(name) != std::string::npos);
            QVERIFY(!std::filesystem::exists(folder / name));
        }
        QVERIFY(!writeColourPicture(folder / "no/such/folder.png", recipe, p).ok());
    }
};

QTEST_MAIN(DrawingsTest)
#include "drawings_test.moc"
