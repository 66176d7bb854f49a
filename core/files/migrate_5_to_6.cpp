#include "core/files/migrations.h"

namespace topikos {

void migrate5to6(Json&) {}

}  // namespace topikos
