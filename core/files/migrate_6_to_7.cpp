#include "core/files/migrations.h"

namespace topikos {

void migrate6to7(Json&) {}

}  // namespace topikos
