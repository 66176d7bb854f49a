#version 330 core
in vec3 place;
uniform vec3 ground;
uniform vec3 grid;
uniform vec3 fadeCentre;
uniform float step;       // of the fine grid [m]
uniform sampler2D shadow;
uniform vec4 shadowArea;   // centre x, y, half width, darkness
out vec4 color;
float lines(vec2 p, float spacing)
{
    vec2 q = p / spacing;
    vec2 width = fwidth(q);
    vec2 d = abs(fract(q - 0.5) - 0.5) / max(width, vec2(1e-5));
    float strength = clamp(1.0 - max(width.x, width.y) * 2.0, 0.0, 1.0);
    return (1.0 - min(min(d.x, d.y), 1.0)) * strength;
}
void main()
{
    float fade = 1.0 - smoothstep(1.6, 5.5, length(place.xy - fadeCentre.xy));
    float g = max(0.35 * lines(place.xy, step), lines(place.xy, 5.0 * step));
    vec3 c = mix(ground, grid, g);
    vec2 uv = (place.xy - shadowArea.xy) / (2.0 * shadowArea.z) + 0.5;
    float s = 0.0;
    if (uv.x > 0.0 && uv.x < 1.0 && uv.y > 0.0 && uv.y < 1.0) s = texture(shadow, uv).r;
    c *= 1.0 - shadowArea.w * s;
    color = vec4(c, fade);
}
