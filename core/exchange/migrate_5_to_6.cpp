#include "core/exchange/migrations.h"

namespace topikos {

void migrate5to6(Json&) {}

}  // namespace topikos
