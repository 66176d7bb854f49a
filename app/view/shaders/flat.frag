#version 330 core
in vec4 flatColor;
out vec4 color;
void main() { color = flatColor; }
