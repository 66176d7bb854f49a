#version 330 core
in vec3 worldPosition;
out vec4 color;
void main()
{
    // Near the ground a body shades more than high above it.
    float s = 0.34 + 0.66 * exp(-max(worldPosition.z, 0.0) / 0.25);
    color = vec4(s, 0.0, 0.0, 1.0);
}
