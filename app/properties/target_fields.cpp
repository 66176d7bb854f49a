#include "app/properties/page.h"

namespace topikos {

void Page::addFreedom(const QString& prefix, const Freedom& free, const std::function<void(const Freedom&)>& set)
{
    addChoice("Freedom", prefix + "Freedom",
              {"as taught", "any turn about the tool", "leans in a cone", "slides along an axis", "turns by up to"},
              int(free.kind), [=](int i) {
                  Freedom next = free;
                  next.kind = Freedom::Kind(i);
                  if (next.angle == 0) next.angle = 15 * kDegree;
                  if (next.length == 0) next.length = 0.01;
                  set(next);
              });
    if (free.kind == Freedom::Kind::Cone || free.kind == Freedom::Kind::Within)
        addNumber("by up to", prefix + "Angle", degrees(free.angle), "°", limits::kFreeAngle, kDegree, 1,
                  [=](double v) {
                      Freedom next = free;
                      next.angle = v * kDegree;
                      set(next);
                  });
    if (free.kind != Freedom::Kind::Slide) return;
    addChoice("Along", prefix + "Axis", {"its X", "its Y", "its Z"}, free.axis, [=](int i) {
        Freedom next = free;
        next.axis = i;
        set(next);
    });
    addNumber("by up to", prefix + "Length", millimetres(free.length), "mm", limits::kFreeLength, kMillimetre, 1,
              [=](double v) {
                  Freedom next = free;
                  next.length = v * kMillimetre;
                  set(next);
              });
}

void Page::addApproach(const QString& label, const QString& prefix, const Approach& way,
                       const std::function<void(const Approach&)>& set)
{
    QStringList axes;
    for (const char* of : {"tool", "frame", "world"})
        for (const char* sign : {"+", "−"})
            for (const char* axis : {"X", "Y", "Z"})
                axes << QString("%1%2 of the %3").arg(sign, axis, of);
    addNumber(label, prefix + "Far", millimetres(way.far), "mm", limits::kStandoff, kMillimetre, 1, [=](double v) {
        Approach next = way;
        next.far = v * kMillimetre;
        next.near = std::min(next.near, next.far);
        set(next);
    });
    addNumber("near point", prefix + "Near", millimetres(way.near), "mm", limits::kStandoff, kMillimetre, 1,
              [=](double v) {
                  Approach next = way;
                  next.near = v * kMillimetre;
                  set(next);
              });
    addChoice("along", prefix + "Along", axes, int(way.along) * 6 + (way.negative ? 3 : 0) + way.axis, [=](int i) {
        Approach next = way;
        next.along = Approach::Along(i / 6);
        next.negative = i % 6 > 2;
        next.axis = i % 3;
        set(next);
    });
}

}  // namespace topikos
