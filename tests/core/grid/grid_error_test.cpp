#include "core/grid/grid.h"
#include "support/virtual_campaign.h"

#include <QTest>

#include <cmath>

using namespace caelumen;
using caelumen::testing::VirtualCampaign;

/// The errors that a grid claims are those that it has, under skies that were not fitted.
class GridErrorTest : public QObject {
    Q_OBJECT

    struct Coverage {
        int n = 0, one = 0, two = 0;
        double z2 = 0, lnSigma = 0, sum = 0;
        void add(double z, double sigma) { ++n, one += std::abs(z) < 1, two += std::abs(z) < 2, z2 += std::min(z * z, 25.0), lnSigma += sigma, sum += z; }
        double within(int k) const { return 100.0 * (k == 1 ? one : two) / n; }
    };

private slots:
    void claimedErrorsAreTrue() {
        std::map<std::pair<GridQuantity, CellOrigin>, Coverage> all;
        std::map<TargetKind, Coverage> byKind;
        for (unsigned long long seed = 1; seed <= 150; ++seed) {
            const VirtualCampaign campaign(seed);
            const GridModel model(campaign.input());
            for (const GridQuantity quantity : {GridQuantity::TimeRatio, GridQuantity::Background})
                for (const TargetKind kind : {TargetKind::Emission, TargetKind::Oxygen, TargetKind::Galaxy}) {
                    GridQuestion q;
                    q.quantity = quantity, q.kind = kind;
                    const int bortle = 2 + static_cast<int>((seed * 5 + static_cast<unsigned long long>(kind)) % 7);
                    q.skies = {skyOfClass(bortle, std::nullopt), skyOfClass(bortle, GridMoon{0.7, 40, 70})};
                    for (const GridCell& c : gridCells(model, q)) {
                        if (c.origin == CellOrigin::Empty || c.filter == "open") continue;
                        const double truth = quantity == GridQuantity::TimeRatio ? campaign.trueTimeRatio(c.filter, c.channel, kind, c.sky)
                                                                                 : campaign.trueBackground(c.filter, c.channel, c.sky);
                        const double sigma = c.sigma / c.value, z = std::log(c.value / truth) / sigma;
                        all[{quantity, c.origin}].add(z, sigma);
                        if (quantity == GridQuantity::TimeRatio) byKind[kind].add(z, sigma);
                    }
                }
        }
        for (const auto& [key, c] : all) {
            qInfo("%-11s %-9s %5d cells, claimed error %4.0f %%: within one sigma %4.0f %%, within two %4.0f %%, mean %.2f, rms %.2f",
                  gridQuantityName(key.first), cellOriginName(key.second), c.n, 100 * c.lnSigma / c.n, c.within(1), c.within(2), c.sum / c.n,
                  std::sqrt(c.z2 / c.n));
        }
        for (const auto& [kind, c] : byKind)
            qInfo("%-11s %5d cells: within one sigma %4.0f %%, within two %4.0f %%, mean %.2f", targetKindName(kind), c.n, c.within(1), c.within(2),
                  c.sum / c.n);
        QVERIFY(all.size() >= 5);
        for (const auto& [key, c] : all) {
            QVERIFY2(c.within(1) >= 60 && c.within(1) <= 76, cellOriginName(key.second));
            QVERIFY2(c.within(2) >= 92 && c.within(2) <= 98, cellOriginName(key.second));
        }
    }
};

QTEST_GUILESS_MAIN(GridErrorTest)
#include "grid_error_test.moc"
