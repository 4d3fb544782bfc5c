#pragma once

#include <map>
#include <string>

namespace caelumen {

/// The page of a report as plain HTML with places like {{headline}}, to be changed by a person: {{title}} {{style}} {{where}} {{headline}} {{verdict}}
/// {{conditions}} {{fairness}}
/// {{disclosure}} {{remarks}} {{pictures}} {{crops}} {{scores}} {{skies}} {{palettes}} {{figures}} {{method}} {{cautions}} {{version}}. Each section brings its
/// own heading and is empty where there is nothing to say.
const char* defaultPage();

/// Puts the sections in. Places that nobody knows stay empty; scripts of a template are taken out, since a report has none.
std::string filledPage(const std::string& page, const std::map<std::string, std::string>& sections);

} // namespace caelumen
