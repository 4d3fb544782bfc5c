#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/log/log_entry.h"
#include "core/log/log_query.h"

#include <QTest>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <tuple>

using namespace caelumen;

namespace {

constexpr std::array kAllFacets{LogFacet::Filter, LogFacet::Kind, LogFacet::Target, LogFacet::Place, LogFacet::Sky,
                                LogFacet::Moon,   LogFacet::Rig,  LogFacet::Year,   LogFacet::None};

/// Runs of all sorts, some of which little is known.
std::vector<LogEntry> years(int n) {
    Random random(12);
    const std::array filters{"Twinline 7", "Clearpane", "Åsa \"wide\"", "Глубина"};
    const std::array places{"roof", "garden", ""};
    std::vector<LogEntry> out;
    for (int i = 0; i < n; ++i) {
        LogEntry e;
        e.uid = std::to_string(i), e.campaign = "/home/a/c.caelumen", e.trialId = i / 5, e.run = std::string(1, static_cast<char>('A' + i % 5));
        e.filter = filters[random.index(filters.size())], e.place = places[random.index(places.size())];
        if (random.uniform() < 0.8) e.total_s = std::floor(7200 * random.uniform());
        if (random.uniform() < 0.8)
            e.night = "20" + std::to_string(10 + random.index(16)) + "-0" + std::to_string(1 + random.index(9)) + "-1" + std::to_string(random.index(9));
        if (random.uniform() < 0.5) e.bortle = static_cast<int>(1 + random.index(9));
        if (random.uniform() < 0.7) e.moonIlluminated = random.uniform(), e.moonAltitude_deg = 90 * random.uniform() - 30;
        out.push_back(e);
    }
    return out;
}

std::vector<const LogEntry*> pointers(const std::vector<LogEntry>& all) {
    std::vector<const LogEntry*> out;
    for (const LogEntry& e : all) out.push_back(&e);
    return out;
}

} // namespace

/// Finding runs again, and counting their hours.
class LogQueryTest : public QObject {
    Q_OBJECT

private slots:
    /// Whatever somebody types, something comes of it, and marks stay in pairs.
    void anythingCanBeTyped() {
        Random random(3);
        const std::string letters = "ab:\"- \tfrom:to:filter:2025-0\xc3\xa9*()^";
        for (int i = 0; i < 3'000; ++i) {
            std::string text;
            for (std::size_t k = random.index(24); k > 0; --k) text += letters[random.index(letters.size())];
            const LogQuery q = parseLogQuery(text);
            for (const bool without : {false, true}) {
                const std::string expression = matchExpression(q, without);
                QVERIFY(std::count(expression.begin(), expression.end(), '"') % 2 == 0);
                if (q.terms.empty()) QVERIFY(expression.empty());
            }
            for (const LogQuery::Term& t : q.terms) QVERIFY(t.field.empty() || std::find(logFields().begin(), logFields().end(), t.field) != logFields().end());
        }
    }

    void datesAreWholeDays() {
        const auto within = [](const char* typed, const char* night) { return isWithin(parseLogQuery(typed), night); };
        for (const char* night : {"2025-01-01", "2025-06-15", "2025-12-31"}) QVERIFY(within("from:2025 to:2025", night));
        QVERIFY(!within("from:2025 to:2025", "2024-12-31") && !within("from:2025 to:2025", "2026-01-01"));
        QVERIFY(within("to:2025-02", "2025-02-28") && !within("to:2025-02", "2025-03-01"));
        QVERIFY(within("from:2025-02-03 to:2025-02-03", "2025-02-03"));
        QVERIFY(!within("from:2026 to:2025", "2025-06-15"));
        QVERIFY(within("garden", "") && !within("from:2000", ""));
    }

    /// Rows and columns change places, order does not matter, and no hour is lost.
    void hoursAreNeitherLostNorMade() {
        const auto all = years(400);
        double total = 0;
        for (const LogEntry& e : all) total += e.total_s.value_or(0);
        auto shuffled = pointers(all);
        std::reverse(shuffled.begin(), shuffled.end());
        for (const LogFacet rows : kAllFacets)
            for (const LogFacet columns : kAllFacets) {
                const LogHours h = hoursBy(pointers(all), rows, columns), turned = hoursBy(pointers(all), columns, rows),
                               other = hoursBy(shuffled, rows, columns);
                double sum = 0;
                for (const auto& row : h.seconds)
                    for (const double s : row) sum += s;
                QVERIFY(std::abs(sum - total) < 1e-6);
                QCOMPARE(std::accumulate(h.runs.begin(), h.runs.end(), 0), 400);
                QVERIFY(h.seconds.size() == h.rows.size() && h.first.size() == h.rows.size() && h.last.size() == h.rows.size());
                QVERIFY(h.rows == other.rows && h.columns == other.columns && h.seconds == other.seconds && h.first == other.first && h.last == other.last);
                QVERIFY(std::is_permutation(h.rows.begin(), h.rows.end(), turned.columns.begin(), turned.columns.end()));
                for (std::size_t r = 0; r < h.rows.size(); ++r)
                    for (std::size_t c = 0; c < h.columns.size(); ++c) {
                        const auto tr = std::find(turned.rows.begin(), turned.rows.end(), h.columns[c]) - turned.rows.begin(),
                                   tc = std::find(turned.columns.begin(), turned.columns.end(), h.rows[r]) - turned.columns.begin();
                        QCOMPARE(turned.seconds[static_cast<std::size_t>(tr)][static_cast<std::size_t>(tc)], h.seconds[r][c]);
                    }
            }
    }

    /// What a facet says is found by its field.
    void facetsAreFields() {
        for (const LogFacet f : kAllFacets) {
            const std::string field = logFacetField(f);
            QVERIFY(field.empty() == (f == LogFacet::None));
            if (field.empty()) continue;
            QVERIFY(std::find(logFields().begin(), logFields().end(), field) != logFields().end());
            for (const LogEntry& e : years(50))
                if (const std::string said = facetOf(e, f); said != "not known" && f != LogFacet::Year && f != LogFacet::Sky)
                    QVERIFY2(logText(e, field).find(said) != std::string::npos, said.c_str());
        }
    }

    void entriesComeBackAsTheyWere() {
        for (LogEntry e : years(60)) {
            e.notes = "Première nuit \"claire\"\nzweite Zeile\t\xf0\x9f\x8c\x99", e.tags = "loan, gift";
            e.figures.push_back({"time_ratio", "R", -0.25, 0.125, false, true});
            e.figures.push_back({"halo_flux_fraction", "B", 1e-9, 3e-10, true, false});
            e.target.name = "IC 2944", e.target.ra_deg = 174.5, e.target.dec_deg = -63;
            e.photos = {"/a/b c.png"};
            const auto text = jsonText(logEntryToJson(e));
            const auto json = parseJson(text, "log");
            QVERIFY(json.ok());
            const auto back = logEntryFromJson(*json, "log");
            QVERIFY2(back.ok(), back.ok() ? "" : back.error().message.c_str());
            QCOMPARE(jsonText(logEntryToJson(*back)), text);
            QVERIFY(back->figures == e.figures && back->notes == e.notes && back->filter == e.filter && back->total_s == e.total_s);
        }
        for (const char* bad : {"[]", "{\"uid\": 3}", "{\"figures\": {}}", "null"}) {
            const auto json = parseJson(bad, "log");
            QVERIFY(json.ok());
            const auto read = logEntryFromJson(*json, "log");
            QVERIFY2(!read && read.error().message.find("log") != std::string::npos, bad);
        }
    }

    void uidsTellRunsApart() {
        QCOMPARE(logUid("/a.caelumen", 1, "A"), logUid("/a.caelumen", 1, "A"));
        for (const auto& [campaign, trial, run] : {std::tuple("/b.caelumen", 1, "A"), {"/a.caelumen", 2, "A"}, {"/a.caelumen", 1, "B"}})
            QVERIFY(logUid(campaign, trial, run) != logUid("/a.caelumen", 1, "A"));
        QVERIFY(logUid("/a", 11, "A") != logUid("/a", 1, "1A"));
    }
};

QTEST_GUILESS_MAIN(LogQueryTest)
#include "log_query_test.moc"
