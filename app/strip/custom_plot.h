#pragma once
// QCustomPlot's header is written with Qt's short words, which are names of ours. It is heavy: include it in few files.
#define signals Q_SIGNALS
#define slots Q_SLOTS
#define emit Q_EMIT
#define foreach Q_FOREACH
#include <qcustomplot.h>
#undef signals
#undef slots
#undef emit
#undef foreach
