#version 330 core
in vec2 uv;
uniform sampler2D source;
uniform vec2 direction;
out vec4 color;
void main()
{
    float sum = 0.0, weight = 0.0;
    for (int i = -5; i <= 5; ++i) {
        float w = exp(-float(i * i) / 10.0);
        sum += w * texture(source, uv + float(i) * direction).r;
        weight += w;
    }
    color = vec4(sum / weight, 0.0, 0.0, 1.0);
}
