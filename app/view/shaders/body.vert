#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 color;
uniform mat4 model;
uniform mat4 viewProjection;
uniform vec4 section;   // kept where dot(section, (position, 1)) >= 0
out vec3 worldPosition;
out vec3 worldNormal;
out vec4 bodyColor;
void main()
{
    vec4 p = model * vec4(position, 1.0);
    worldPosition = p.xyz;
    worldNormal = mat3(model) * normal;
    bodyColor = color;
    gl_ClipDistance[0] = dot(section, p);
    gl_Position = viewProjection * p;
}
