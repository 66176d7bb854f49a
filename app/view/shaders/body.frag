#version 330 core
in vec3 worldPosition;
in vec3 worldNormal;
in vec4 bodyColor;
uniform vec3 eye;
uniform vec4 tint;      // rgb mixed in by a
uniform float opacity;
uniform float ambient;
uniform bool plain;     // the tint alone, unlit: for edges
out vec4 color;
void main()
{
    if (plain) {
        color = vec4(tint.rgb, opacity);
        return;
    }
    vec3 n = normalize(worldNormal);
    vec3 toEye = normalize(eye - worldPosition);
    if (dot(n, toEye) < 0.0) n = -n;
    vec3 key = normalize(vec3(0.35, -0.55, 0.9));
    vec3 fill = normalize(vec3(-0.7, 0.5, 0.25));
    float light = ambient + 0.46 * max(dot(n, key), 0.0) + 0.14 * max(dot(n, fill), 0.0) + 0.12 * n.z;
    vec3 base = mix(bodyColor.rgb, tint.rgb, tint.a);
    float rim = pow(1.0 - max(dot(n, toEye), 0.0), 3.0);
    color = vec4(base * light + 0.05 * rim, opacity);
}
