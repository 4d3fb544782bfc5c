#pragma once

class QCoreApplication;

namespace caelumen {

/// Speaks the desktop's language where the program knows it (translations/caelumen_*.qm beside its data), else English with its plurals. CAELUMEN_LANGUAGE
/// names another one; "pseudo" is English with accents and a third longer, in which a text that nobody translates, or that has no room to grow, is seen at
/// once.
void installLanguage(QCoreApplication& app);

/// For tests, in a running application.
void speakPseudo(bool yes);

} // namespace caelumen
