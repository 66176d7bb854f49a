#include "core/files/migrations.h"

namespace topikos {

void migrate4to5(Json&) {}

}  // namespace topikos
