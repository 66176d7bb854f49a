#include "core/exchange/migrations.h"

namespace topikos {

void migrate7to8(Json&) {}

}  // namespace topikos
