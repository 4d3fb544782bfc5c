#include "core/compare/measure_trial.h"

#if __has_include(<QtGlobal>) || __has_include(<QtCore/QtGlobal>) || __has_include(<QString>) || defined(QT_CORE_LIB)
#error "A Qt header is visible from the core"
#endif
