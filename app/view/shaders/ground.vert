#version 330 core
layout(location = 0) in vec3 position;
uniform mat4 viewProjection;
out vec3 place;
void main()
{
    place = position;
    gl_Position = viewProjection * vec4(position, 1.0);
}
