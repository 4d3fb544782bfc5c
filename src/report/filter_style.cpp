#include "report/filter_style.h"

#include "core/model/trial.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace caelumen {

QPainterPath FilterStyle::marker(double r) const {
    QPainterPath path;
    const auto polygon = [&](int corners, double turn) {
        for (int i = 0; i < corners; ++i) {
            const double a = turn + 2 * M_PI * i / corners;
            const QPointF p(r * 1.12 * std::cos(a), r * 1.12 * std::sin(a));
            i == 0 ? path.moveTo(p) : path.lineTo(p);
        }
        path.closeSubpath();
    };
    switch (shape % 6) {
    case 0:
        path.addEllipse(QPointF(0, 0), r, r);
        break;
    case 1:
        path.addRect(-0.88 * r, -0.88 * r, 1.76 * r, 1.76 * r);
        break;
    case 2:
        polygon(3, -M_PI / 2);
        break;
    case 3:
        polygon(4, 0);
        break;
    case 4:
        polygon(5, -M_PI / 2);
        break;
    default: {
        const double w = 0.42 * r;
        path.setFillRule(Qt::WindingFill); // two bars that cross leave no hole
        path.addRect(-w, -r, 2 * w, 2 * r);
        path.addRect(-r, -w, 2 * r, 2 * w);
        path = path.simplified();
    }
    }
    return path;
}

FilterStyle filterStyle(int index, bool baseline, bool redTheme) {
    // Vermilion, sky, ochre, teal, violet, rose, blue: luminance and hue both differ.
    static const std::array<QColor, 7> colours{QColor("#e2703a"), QColor("#58b4e0"), QColor("#d9b13b"), QColor("#2fae8f"),
                                               QColor("#a98be0"), QColor("#d97aa6"), QColor("#5d83e6")};
    static const std::array<QColor, 4> reds{QColor("#ff5a40"), QColor("#c23a28"), QColor("#e0503c"), QColor("#8f2a1e")};
    FilterStyle s;
    s.shape = index;
    s.number = index + 1;
    if (redTheme)
        s.colour = baseline ? QColor("#b0483a") : reds[static_cast<std::size_t>(index) % reds.size()];
    else
        s.colour = baseline ? QColor("#a9adb3") : colours[static_cast<std::size_t>(index + 6) % colours.size()];
    return s;
}

namespace {

/// A to Z as 0 to 25; nothing for other names.
std::optional<int> letterOf(const std::string& run) {
    return run.size() == 1 && run[0] >= 'A' && run[0] <= 'Z' ? std::optional(run[0] - 'A') : std::nullopt;
}

int styleIndex(const Trial& trial, const std::string& run) {
    if (const auto letter = letterOf(run)) return *letter;
    int index = 0; // behind the letters, in the order of the trial
    for (const Run& r : trial.runs) index = std::max(index, letterOf(r.id).value_or(-1) + 1);
    for (const Run& r : trial.runs) {
        if (r.id == run) break;
        index += !letterOf(r.id);
    }
    return index;
}

} // namespace

FilterStyle runStyle(const Trial& trial, const std::string& run, bool baseline, bool redTheme) {
    return filterStyle(styleIndex(trial, run), baseline, redTheme);
}

FilterStyle filterStyleOf(const Trial& trial, const std::string& filter, const std::vector<std::string>& planned, bool redTheme) {
    for (std::size_t i = 0; i < trial.runs.size(); ++i)
        if (trial.runs[i].filter == filter) return runStyle(trial, trial.runs[i].id, trial.runs[i].baseline, redTheme);
    auto place = static_cast<int>(std::find(planned.begin(), planned.end(), filter) - planned.begin());
    if (place == static_cast<int>(planned.size())) // neither shot nor planned: behind those that are
        place +=
            static_cast<int>(std::find_if(trial.filters.begin(), trial.filters.end(), [&](const Filter& f) { return f.id == filter; }) - trial.filters.begin());
    return filterStyle(place, place == 0 && !planned.empty(), redTheme);
}

std::map<std::string, FilterStyle> filterStyles(const Trial& trial, const std::vector<std::string>& filters, bool redTheme) {
    std::map<std::string, FilterStyle> out;
    int next = 0; // behind the trial's own
    for (const Run& r : trial.runs) next = std::max(next, styleIndex(trial, r.id) + 1);
    std::vector<std::string> sorted = filters; // whatever the order of a ranking, a filter looks the same
    std::sort(sorted.begin(), sorted.end());
    for (const std::string& id : sorted) {
        const bool own = std::any_of(trial.runs.begin(), trial.runs.end(), [&](const Run& r) { return r.filter == id; });
        out[id] = own ? filterStyleOf(trial, id, {}, redTheme) : filterStyle(next++, false, redTheme);
    }
    return out;
}

} // namespace caelumen
