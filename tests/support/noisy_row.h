#pragma once

#include "core/base/statistics.h"
#include "core/base/wide.h"

#include <QTest>

#include <vector>

/// Rows of pixels for the tests of loops over them.
namespace caelumen::noisy_row {

inline std::vector<float> noise(int n, unsigned long long seed) {
    Random random(seed);
    std::vector<float> v(static_cast<std::size_t>(n));
    for (float& x : v) x = static_cast<float>(100 + 5 * random.normal());
    return v;
}

/// Lengths around the width of registers and blocks.
inline constexpr int kLengths[] = {1, 2, 15, 16, 17, 31, 32, 63, 64, 65, 255, 1000, 4097, 70'001};
inline void lengths() {
    QTest::addColumn<int>("n");
    for (const int n : kLengths) QTest::newRow(qPrintable(QString::number(n))) << n;
}

/// The same in the widest registers and in the others.
inline void widths() {
    QTest::addColumn<int>("n");
    QTest::addColumn<bool>("widest");
    for (const bool widest : {false, true})
        for (const int n : kLengths) QTest::newRow(qPrintable(QString("%1%2").arg(n).arg(widest ? ", widest" : ""))) << n << widest;
}

/// Takes the width that the test's row asks for, as long as it lives.
class TakenWidth {
public:
    TakenWidth() {
        QFETCH(bool, widest);
        rows::takeWidest(widest);
    }
    ~TakenWidth() { rows::takeWidest(true); }
    TakenWidth(const TakenWidth&) = delete;
    TakenWidth& operator=(const TakenWidth&) = delete;
};

} // namespace caelumen::noisy_row
