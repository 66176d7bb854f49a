#pragma once
#include "core/exchange/json_fields.h"
#include "core/robot/data_sheet.h"

namespace topikos {

template <class Io>
void fields(Io& io, SheetAxis& a)
{
    const SheetAxis plain;
    io.field("name", a.name);
    io.word("kind", a.kind, {{"revolute", JointKind::Revolute}, {"prismatic", JointKind::Prismatic}});
    io.optional("point", a.point, plain.point);
    io.optional("direction", a.direction, plain.direction);
    io.optional("a", a.a, plain.a);
    io.optional("alpha", a.alpha, plain.alpha);
    io.optional("d", a.d, plain.d);
    io.optional("theta", a.theta, plain.theta);
    io.optional("reversed", a.reversed, plain.reversed);
    io.field("lower", a.lower);
    io.field("upper", a.upper);
    io.field("speed", a.speed);
    io.field("acceleration", a.acceleration);
    io.optional("effort", a.effort, plain.effort);
    io.optional("drawn", a.drawn, plain.drawn);
    io.optional("mass", a.mass, plain.mass);
    io.optional("centre-of-mass", a.centre, plain.centre);
    io.optional("moments", a.moments, plain.moments);
    io.optional("products", a.products, plain.products);
}

template <class Io>
void fields(Io& io, DataSheet& s)
{
    using Placement = DataSheet::Placement;
    io.field("id", s.id);
    io.field("name", s.name);
    io.word("placement", s.placement, {{"drawing", Placement::Drawing}, {"dh-classic", Placement::DhClassic}, {"dh-modified", Placement::DhModified}});
    io.word("orientation", s.orientation,
            {{"fixed-xyz", AngleOrder::FixedXyz}, {"zyx", AngleOrder::IntrinsicZyx}, {"zyz", AngleOrder::IntrinsicZyz}, {"xyz", AngleOrder::IntrinsicXyz}});
    io.optional("payload", s.payload, 0.0);
    io.field("home", s.home);
    io.field("flange", s.flange);
    io.list("axes", s.axes);
}

}  // namespace topikos
