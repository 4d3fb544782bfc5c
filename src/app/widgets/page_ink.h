#pragma once

#include "app/widgets/theme.h"
#include "report/text_page.h"

namespace caelumen {

/// A page for the screen, in the colours of the theme.
inline TextPage screenPage() {
    const Theme& t = theme();
    return TextPage({t.text.name(), t.dim.name(), t.warn.name(), t.bad.name(), t.accent.name()});
}

/// A page to be printed.
inline TextPage paperPage() {
    return TextPage({"#000000", "#555555", "#805000", "#a00000", "#000000"});
}

} // namespace caelumen
