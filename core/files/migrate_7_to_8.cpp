#include "core/files/migrations.h"

namespace topikos {

void migrate7to8(Json&) {}

}  // namespace topikos
