#include <QDirIterator>
#include <QMap>
#include <QRegularExpression>
#include <QSet>
#include <QTest>

/// Which folder may include which, as docs/architecture.md draws it. A new folder needs a line here and there.
class ArchitectureTest : public QObject {
    Q_OBJECT

    const QDir m_source{QStringLiteral(CAELUMEN_SOURCE_DIR "/src")};
    QMap<QString, QStringList> m_includes; ///< by file, relative to src

    /// "core/stars", "app/bench", "app", "store" ...
    static QString folderOf(const QString& file) {
        const QStringList parts = file.split('/');
        return parts.size() > 2 ? parts[0] + '/' + parts[1] : parts[0];
    }

    static QMap<QString, QSet<QString>> allowed() {
        const auto words = [](const char* text) {
            const QStringList list = QString::fromLatin1(text).split(' ', Qt::SkipEmptyParts);
            return QSet<QString>(list.begin(), list.end());
        };
        return {
            {"core/base", {}},
            {"core/image", words("core/base")},
            {"core/optics", words("core/base")},
            {"core/sky", words("core/base")},
            {"core/stars", words("core/base core/image")},
            {"core/model", words("core/base core/image core/optics core/sky core/stars")}, // their values alone: see modelsHaveNoPixels
            {"core/measure", words("core/base core/image core/model core/stars")},
            {"core/compare", words("core/base core/image core/measure core/model core/optics core/sky core/stars")},
            {"core/grid", words("core/base core/model core/optics core/plan core/simulate core/sky")},
            {"core/live", words("core/base core/model core/prepare core/sky core/stars")},
            {"core/log", words("core/base core/compare core/image core/model core/sky")},
            {"core/merge", words("core/base core/model")},
            {"core/palette", words("core/base core/compare core/image core/measure core/model core/optics core/prepare core/stars")},
            {"core/picture", words("core/base core/compare core/model core/stars")},
            {"core/plan", words("core/base core/model core/optics core/sky")},
            {"core/practice", words("core/base core/image core/simulate")},
            {"core/prepare", words("core/base core/image core/measure core/model core/optics core/sky core/stars")},
            {"core/simulate", words("core/base core/image core/measure core/model core/optics core/sky core/stars")},
            {"core/verdict", words("core/base core/grid core/model core/optics")},
            {"store", words("core/base core/log core/model core/practice")},
            {"report", words("core/base core/compare core/grid core/image core/model core/palette core/picture core/stars core/verdict")},
            {"unpack", words("core/image")},
            {"cli",
             words("core/base core/compare core/grid core/live core/merge core/model core/optics core/palette core/prepare core/simulate core/sky core/verdict "
                   "report store")},
            {"app/widgets", words("app core/base core/model core/picture core/sky report")},
            {"app/bench",
             words("app app/widgets core/base core/compare core/measure core/model core/optics core/picture core/prepare core/sky core/stars report")},
            {"app/grid", words("app app/widgets core/base core/compare core/grid report")},
            {"app/help", words("app/widgets")},
            {"app/kit", words("app app/widgets core/base core/compare core/model core/optics report")},
            {"app/log", words("app app/widgets core/base core/compare core/log core/merge core/model core/picture core/practice core/prepare report store")},
            {"app/night", words("app app/widgets core/base core/model core/optics core/plan core/simulate report")},
            {"app/palette", words("app app/widgets core/base core/compare core/image core/model core/optics core/palette report")},
            {"app/subs", words("app app/widgets core/base core/live core/optics core/plan core/prepare core/simulate core/sky report")},
            {"app/verdict", words("app app/grid app/widgets core/base core/optics core/verdict report")},
            {"app", words("app/bench app/grid app/help app/kit app/log app/night app/palette app/subs app/verdict app/widgets core/base core/compare "
                          "core/image core/model "
                          "core/optics core/picture "
                          "core/simulate core/sky report store core/prepare")},
        };
    }

private slots:
    void initTestCase() {
        static const QRegularExpression include("^#include \"([^\"]+)\"", QRegularExpression::MultilineOption);
        QDirIterator files(m_source.path(), {"*.h", "*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
        while (files.hasNext()) {
            QFile file(files.next());
            QVERIFY2(file.open(QIODevice::ReadOnly), qPrintable(file.fileName()));
            QStringList& includes = m_includes[m_source.relativeFilePath(file.fileName())];
            for (auto matches = include.globalMatch(QString::fromUtf8(file.readAll())); matches.hasNext();) includes << matches.next().captured(1);
        }
        QVERIFY(m_includes.size() > 100);
    }

    void foldersKeepTheirPlace() {
        const auto rules = allowed();
        for (auto file = m_includes.cbegin(); file != m_includes.cend(); ++file) {
            const QString from = folderOf(file.key());
            QVERIFY2(rules.contains(from), qPrintable("src/" + from + " has no line in this test"));
            for (const QString& include : file.value()) {
                const QString to = folderOf(include);
                QVERIFY2(to == from || rules[from].contains(to), qPrintable(file.key() + " may not include " + include));
            }
        }
    }

    /// What may be included leads nowhere back.
    void theCoreHasNoCircles() {
        const auto rules = allowed();
        QSet<QString> done;
        std::function<void(const QString&, QStringList)> walk = [&](const QString& folder, QStringList path) {
            QVERIFY2(!path.contains(folder), qPrintable(path.join(" -> ") + " -> " + folder));
            if (done.contains(folder)) return;
            path << folder;
            for (const QString& next : rules[folder])
                if (next.startsWith("core/")) walk(next, path);
            done.insert(folder);
        };
        for (auto it = rules.cbegin(); it != rules.cend(); ++it)
            if (it.key().startsWith("core/")) walk(it.key(), {});
        QVERIFY(done.size() >= 12);
    }

    /// Trials, results and plans are values: whoever uses them compiles no pixel code.
    void modelsHaveNoPixels() {
        QSet<QString> reached;
        QStringList open;
        for (auto file = m_includes.cbegin(); file != m_includes.cend(); ++file)
            if (folderOf(file.key()) == "core/model") open << file.key();
        QVERIFY(open.size() > 10);
        while (!open.isEmpty()) {
            const QString file = open.takeLast();
            if (reached.contains(file)) continue;
            reached.insert(file);
            open << m_includes.value(file);
        }
        for (const char* pixels : {"core/image/plane.h", "core/image/frame_file.h", "core/measure/harvest.h"}) QVERIFY2(!reached.contains(pixels), pixels);
    }
};

QTEST_APPLESS_MAIN(ArchitectureTest)
#include "architecture_test.moc"
