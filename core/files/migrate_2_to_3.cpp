#include "core/files/migrations.h"

namespace topikos {

void migrate2to3(Json&) {}

}  // namespace topikos
