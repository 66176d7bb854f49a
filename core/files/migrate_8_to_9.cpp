#include "core/files/migrations.h"

namespace topikos {

void migrate8to9(Json&) {}

}  // namespace topikos
