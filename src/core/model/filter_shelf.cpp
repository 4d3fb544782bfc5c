#include "core/model/filter_shelf.h"

#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"

#include <algorithm>

namespace caelumen {
namespace {

bool says(const std::string& text) {
    return !text.empty();
}
bool says(int count) {
    return count > 1;
} // a set's size
template<class T>
bool says(const std::optional<T>& value) {
    return value.has_value();
}
template<class T>
bool says(const std::vector<T>& list) {
    return !list.empty();
}

/// Calls `visit(what, own, shelved)` with each thing that can be said of a filter apart from its id and name.
template<class A, class B, class Visit>
void eachFact(A& own, B& shelved, Visit visit) {
    visit("kind", own.kind, shelved.kind);
    visit("curve", own.curve, shelved.curve);
    visit("maker's curve", own.claimed_curve, shelved.claimed_curve);
    visit("price", own.price, shelved.price);
    visit("set", own.set_size, shelved.set_size);
    visit("set's name", own.set, shelved.set);
    visit("claims", own.claims, shelved.claims);
    visit("claimed density", own.claimed_density, shelved.claimed_density);
    visit("effective index", own.effective_index, shelved.effective_index);
    visit("f-ratio it is made for", own.made_for_f_ratio, shelved.made_for_f_ratio);
    visit("glass", own.thickness_mm, shelved.thickness_mm);
    visit("clear aperture", own.clear_aperture_mm, shelved.clear_aperture_mm);
    visit("mount", own.mount, shelved.mount);
    visit("certificate", own.certificate, shelved.certificate);
    visit("how obtained", own.obtained, shelved.obtained);
    visit("notes", own.notes, shelved.notes);
    visit("photos", own.photos, shelved.photos);
}

} // namespace

const Filter* onShelf(const FilterShelf& shelf, const std::string& name) {
    const auto it = std::find_if(shelf.begin(), shelf.end(), [&](const Filter& f) { return slug(f.name) == slug(name); });
    return it == shelf.end() ? nullptr : &*it;
}

void keepOnShelf(FilterShelf& shelf, const Trial& trial) {
    for (const Filter& f : trial.filters) {
        if (f.guessed || f.name.empty()) continue;
        if (const Filter* there = onShelf(shelf, f.name))
            shelf[static_cast<std::size_t>(there - shelf.data())] = f;
        else
            shelf.push_back(f);
    }
}

bool fillFromShelf(Trial& trial, const FilterShelf& shelf) {
    bool changed = false;
    for (Filter& f : trial.filters) {
        const Filter* known = onShelf(shelf, f.name);
        if (!known) continue;
        Filter filled = f;
        if (f.guessed) {
            filled = *known;
            filled.id = f.id;
            if (!says(filled.curve)) filled.curve = f.curve;
        } else {
            eachFact(filled, *known, [](const char*, auto& own, const auto& shelved) {
                if (!says(own) && says(shelved)) own = shelved;
            });
        }
        if (filled == f) continue;
        f = std::move(filled);
        changed = true;
    }
    return changed;
}

std::vector<std::string> differences(const Filter& own, const Filter& shelved) {
    std::vector<std::string> out;
    eachFact(own, shelved, [&](const char* what, const auto& a, const auto& b) {
        if (!(a == b)) out.emplace_back(what);
    });
    return out;
}

Json shelfToJson(const FilterShelf& shelf) {
    Trial all;
    all.filters = shelf;
    for (std::size_t i = 0; i < all.filters.size(); ++i) all.filters[i].id = "f" + std::to_string(i + 1); // those of trials may clash
    return {{"filters", trialToJson(all)["filters"]}};
}

Result<FilterShelf> shelfFromJson(const Json& json, const std::string& name) {
    if (!json.is_object() || !json.contains("filters")) return Error{name + phrase(" holds no list of filters.")};
    auto all = trialFromJson(Json{{"caelumen_trial", 1}, {"filters", json["filters"]}}, name);
    if (!all) return all.error();
    return all->filters;
}

} // namespace caelumen
