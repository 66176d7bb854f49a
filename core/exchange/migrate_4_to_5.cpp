#include "core/exchange/migrations.h"

namespace topikos {

void migrate4to5(Json&) {}

}  // namespace topikos
