#pragma once

#include "core/base/json_fwd.h"
#include "core/base/open_file.h"
#include "core/prepare/sub_figures.h"

#include <filesystem>
#include <map>
#include <mutex>

namespace caelumen {

Json subFiguresToJson(const SubFigures& figures);
/// Nothing for what was not written by subFiguresToJson.
std::optional<SubFigures> subFiguresFromJson(const Json& json);

/// Figures of subs, written into a file as they are measured: after a cancelled or killed run they are not measured again, and the stars of thousands of subs
/// lie there instead of in memory. A line for each sub; one that was cut short is passed over. Several programs may write into the same notebook. Where it
/// cannot be written, stars stay in memory and nothing is kept.
class SubNotebook final : public StarShelf, public std::enable_shared_from_this<SubNotebook> {
public:
    /// `masters` names what figures hold for; lines of others are passed over.
    static std::shared_ptr<SubNotebook> open(const std::filesystem::path& file, std::string masters);
    /// `stamp` tells a file from another of the same name.
    std::optional<SubFigures> find(const std::string& stamp) const;
    /// The figures as they came, their stars on the shelf where that can be.
    SubFigures keep(const std::string& stamp, SubFigures figures);

    SubStars starsAt(const Place& place) const override;

private:
    SubNotebook(OpenFile file, std::string masters);
    void readThrough();
    std::optional<SubFigures> figuresAt(const Place& place) const;
    SubFigures shelved(SubFigures figures, const Place& place) const;

    OpenFile m_file; ///< no number: nothing is kept
    std::string m_masters;
    bool m_torn = false;        ///< its last line was cut short
    mutable std::mutex m_mutex; ///< of m_places
    std::map<std::string, Place> m_places;
};

} // namespace caelumen
