#version 330 core
layout(location = 0) in vec3 from;
layout(location = 1) in vec3 to;
layout(location = 2) in vec4 lineColor;
layout(location = 3) in vec3 corner;   // along 0 or 1, side -1 or 1, width in pixels
uniform mat4 model;
uniform mat4 viewProjection;
uniform vec2 viewport;
uniform float bias;
uniform float opacity;
out vec4 flatColor;
void main()
{
    vec4 a = viewProjection * model * vec4(from, 1.0);
    vec4 b = viewProjection * model * vec4(to, 1.0);
    // Cut at the near plane, so that a line from behind the eye keeps its direction.
    const float near = 0.01;
    if (a.w < near && b.w > near) a = mix(a, b, (near - a.w) / (b.w - a.w));
    if (b.w < near && a.w > near) b = mix(b, a, (near - b.w) / (a.w - b.w));
    vec2 d = (b.xy / b.w - a.xy / a.w) * viewport;
    d = length(d) > 1e-6 ? normalize(d) : vec2(1.0, 0.0);
    vec4 p = corner.x < 0.5 ? a : b;
    p.xy += vec2(-d.y, d.x) * corner.y * corner.z / viewport * p.w;
    p.z -= bias * p.w;
    flatColor = vec4(lineColor.rgb, lineColor.a * opacity);
    gl_Position = p;
}
