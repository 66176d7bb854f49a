#version 330 core
in vec2 uv;
uniform vec3 top;
uniform vec3 bottom;
out vec4 color;
void main() { color = vec4(mix(bottom, top, smoothstep(0.0, 1.0, uv.y)), 1.0); }
