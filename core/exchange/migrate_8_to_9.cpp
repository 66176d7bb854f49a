#include "core/exchange/migrations.h"

namespace topikos {

void migrate8to9(Json&) {}

}  // namespace topikos
