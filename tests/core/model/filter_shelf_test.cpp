#include "core/base/json.h"
#include "core/base/text.h"
#include "core/model/filter_shelf.h"

#include <QTest>

using namespace caelumen;

namespace {

Filter duo() {
    Filter f;
    f.id = "duo7", f.name = "Duo 7", f.kind = "dual-band", f.curve = "/curves/duo.csv";
    f.price = Price{210, 15, "EUR"};
    f.claims = {{500.7, 7, 0.9}, {656.3, 7, 0.9}};
    f.clear_aperture_mm = 45;
    return f;
}

Trial with(std::vector<Filter> filters) {
    Trial t;
    t.filters = std::move(filters);
    return t;
}

} // namespace

class FilterShelfTest : public QObject {
    Q_OBJECT

private slots:
    void aNameFromAHeaderBecomesTheFilterThatIsOwned() {
        FilterShelf shelf;
        keepOnShelf(shelf, with({duo()}));
        Trial t = with({{"duo-7", "duo 7", "other", "", std::nullopt, true}});
        QVERIFY(fillFromShelf(t, shelf));
        QCOMPARE(t.filters[0].id, std::string("duo-7")); // its runs call it so
        QVERIFY(t.filters[0].curve == duo().curve && t.filters[0].price == duo().price && t.filters[0].kind == "dual-band" && !t.filters[0].guessed);
        QVERIFY(!fillFromShelf(t, shelf));
    }

    void whatATrialSaysStays() {
        FilterShelf shelf;
        keepOnShelf(shelf, with({duo()}));
        Filter own = duo();
        own.price = Price{150, 0, "EUR"}; // bought again, cheaper
        own.claims.clear();
        own.kind = "multi-band";
        Trial t = with({own});
        QVERIFY(fillFromShelf(t, shelf));
        QVERIFY(t.filters[0].price->amount == 150 && t.filters[0].kind == "multi-band" && t.filters[0].claims == duo().claims);
        const auto otherwise = differences(t.filters[0], shelf[0]);
        QVERIFY(otherwise == (std::vector<std::string>{"kind", "price"}));
        QVERIFY(differences(duo(), duo()).empty());
    }

    void theLatestWordCountsAndGuessesTeachNothing() {
        FilterShelf shelf;
        keepOnShelf(shelf, with({duo(), {"x", "X", "other", "", std::nullopt, true}}));
        QCOMPARE(shelf.size(), std::size_t{1});
        Filter later = duo();
        later.id = "another id";
        later.price->amount = 99;
        keepOnShelf(shelf, with({later}));
        QVERIFY(shelf.size() == 1 && shelf[0].price->amount == 99);
    }

    void itIsKeptAsJson() {
        FilterShelf shelf{duo(), duo()};
        shelf[1].name = "\u0414\u0443\u043e 7"; // Cyrillic: no ASCII letter in it
        const auto back = shelfFromJson(shelfToJson(shelf), "test");
        QVERIFY2(back.ok(), back.ok() ? "" : back.error().message.c_str());
        QCOMPARE(back->size(), std::size_t{2});
        QVERIFY(differences((*back)[0], shelf[0]).empty() && (*back)[1].name == shelf[1].name);
        QVERIFY(!shelfFromJson(Json::array(), "test").ok());
    }

    // Names without ASCII letters are names too: two of them are two filters.
    void namesInAnyScriptAreTold() {
        QCOMPARE(slug("Duo  7 (nm)"), std::string("duo-7-nm"));
        QVERIFY(slug("\u0414\u0443\u043e") != slug("\u041e\u043a\u043e"));
        QCOMPARE(slug("---"), std::string("filter"));
        FilterShelf shelf;
        Filter a = duo(), b = duo();
        a.name = "\u0414\u0443\u043e", b.name = "\u041e\u043a\u043e";
        keepOnShelf(shelf, with({a, b}));
        QCOMPARE(shelf.size(), std::size_t{2});
    }
};

QTEST_GUILESS_MAIN(FilterShelfTest)
#include "filter_shelf_test.moc"
