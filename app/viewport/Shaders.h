#pragma once
/// What runs on the graphics card: surfaces, surfaces whose triangles know how large they are on the screen, and the
/// background.

namespace um::app {

inline constexpr const char* surfaceVertexShader = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 vertexColor;
layout(location = 3) in float value;
layout(location = 4) in vec2 uv;
layout(location = 5) in vec4 tangent;
uniform mat4 view;
uniform mat4 projection;
out vec4 eyeTangent;
out vec3 eyeNormal;
out vec3 eyePlace;
out vec3 ownColor;
out vec2 ownUv;
out float ownValue;
flat out float area;
void main() {
    ownUv = uv;
    vec4 place = view * vec4(position, 1.0);
    eyePlace = place.xyz;
    eyeNormal = mat3(view) * normal;
    eyeTangent = vec4(mat3(view) * tangent.xyz, tangent.w);
    ownColor = vertexColor.rgb;
    ownValue = value;
    area = 0.0;
    gl_Position = projection * place;
}
)";

// Hands on what the vertices say, and adds the area that the triangle would cover from afar in this direction.
inline constexpr const char* sizedVertexShader = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 vertexColor;
layout(location = 4) in vec2 uv;
uniform mat4 view;
out vec3 normalAt;
out vec3 colorAt;
out vec2 uvAt;
void main() {
    uvAt = uv;
    gl_Position = view * vec4(position, 1.0);
    normalAt = mat3(view) * normal;
    colorAt = vertexColor.rgb;
}
)";

inline constexpr const char* sizedGeometryShader = R"(#version 330 core
layout(triangles) in;
layout(triangle_strip, max_vertices = 3) out;
uniform mat4 projection;
in vec3 normalAt[];
in vec3 colorAt[];
in vec2 uvAt[];
out vec4 eyeTangent;
out vec3 eyeNormal;
out vec3 eyePlace;
out vec3 ownColor;
out vec2 ownUv;
out float ownValue;
flat out float area;
void main() {
    vec3 a = gl_in[0].gl_Position.xyz;
    float covered = 0.5 * abs(cross(gl_in[1].gl_Position.xyz - a, gl_in[2].gl_Position.xyz - a).z);
    for (int i = 0; i < 3; ++i) {
        eyePlace = gl_in[i].gl_Position.xyz;
        eyeNormal = normalAt[i];
        ownColor = colorAt[i];
        ownUv = uvAt[i];
        ownValue = 0.0;
        eyeTangent = vec4(0.0);
        area = covered;
        gl_Position = projection * gl_in[i].gl_Position;
        EmitVertex();
    }
    EndPrimitive();
}
)";

// Light stands above the viewer's left shoulder unless it is turned; what faces away still shows its shape by a weaker
// light from below.
inline constexpr const char* surfaceFragmentShader = R"(#version 330 core
in vec3 eyeNormal;
in vec4 eyeTangent;
in vec3 eyePlace;
in vec3 ownColor;
in vec2 ownUv;
in float ownValue;
flat in float area;
uniform bool showTexture;
uniform bool showChecker;
uniform bool showMisses;
uniform sampler2D misses;
uniform sampler2D picture;
uniform vec3 ground;
uniform bool isLit;
uniform float opacity;
uniform float cutoff;
uniform float metalness;
uniform float roughness;
uniform vec3 emission;
uniform bool hasNormalMap;
uniform bool hasSurfaceMap;
uniform bool hasOcclusionMap;
uniform bool hasEmissionMap;
uniform sampler2D normalMap;
uniform sampler2D surfaceMap;
uniform sampler2D occlusionMap;
uniform sampler2D emissionMap;
uniform float normalStrength;
uniform float occlusionStrength;
uniform float fade;
uniform vec3 paper;
uniform bool showVertexColor;
uniform int tint;
uniform float pixelsPerUnit;
uniform float triangleShare;
uniform vec3 toLight;
uniform float tolerance;
uniform vec3 slightlyOut;
uniform vec3 farOut;
uniform vec3 slightlyIn;
uniform vec3 farIn;
uniform float edgeAlpha;
uniform vec3 edgeColor;
out vec4 color;

bool isMarked = false;

// The room that things mirror: a floor, light walls and a soft lamp where the light comes from.
vec3 room(vec3 direction, float blur) {
    vec3 walls = mix(vec3(0.10, 0.097, 0.092), vec3(0.46, 0.47, 0.49), smoothstep(-0.35 - blur, 0.45 + blur, direction.y));
    float lamp = pow(max(dot(direction, toLight), 0.0), mix(90.0, 2.0, sqrt(blur)));
    return walls + vec3(mix(2.6, 0.35, sqrt(blur))) * lamp;
}

// The metallic-roughness model under one lamp, a weak one below, and the room around. The fourth value is how much of
// it lies on the surface, as light on glass does.
// Sources: Walter et al. 2007 (GGX); Schlick 1994; Lazarov 2013 (what of a room rough surfaces send back).
vec4 underStudioLight(vec3 surface, vec3 n, vec3 toEye, vec2 at) {
    vec3 base = pow(max(surface, vec3(0.0)), vec3(2.2));
    float metal = metalness, rough = roughness, open = 1.0;
    if (hasSurfaceMap) {
        vec2 texel = texture(surfaceMap, at).gb;
        rough *= texel.x;
        metal *= texel.y;
    }
    if (tint != 0 || isMarked) { metal = 0.0; rough = 0.8; }
    if (hasOcclusionMap) open = 1.0 + occlusionStrength * (texture(occlusionMap, at).r - 1.0);
    if (hasNormalMap && dot(eyeTangent.xyz, eyeTangent.xyz) > 1e-6) {
        vec3 bend = texture(normalMap, at).xyz * 2.0 - 1.0;
        bend.xy *= normalStrength;
        vec3 t = normalize(eyeTangent.xyz);
        vec3 straight = normalize(eyeNormal);
        vec3 bent = bend.x * t + bend.y * sign(eyeTangent.w) * cross(straight, t) + bend.z * straight;
        if (dot(n, straight) < 0.0) bent = -bent;
        n = normalize(bent);
    }
    rough = clamp(rough, 0.045, 1.0);
    float facing = max(dot(n, toEye), 1e-3);
    vec3 mirror = mix(vec3(0.04), base, metal);
    vec3 matte = base * (1.0 - metal);
    float sky = 0.5 + 0.5 * n.y;
    vec3 around = mix(vec3(0.12, 0.115, 0.11), vec3(0.27, 0.28, 0.30), sky) * open;
    float key = max(dot(n, toLight), 0.0);
    float fill = max(dot(n, normalize(vec3(0.7, -0.2, 0.4))), 0.0);
    vec3 sum = matte * (around + 0.72 * key + 0.10 * fill);
    vec3 halfway = normalize(toLight + toEye);
    float a = rough * rough, nh = max(dot(n, halfway), 0.0);
    float spread = nh * nh * (a * a - 1.0) + 1.0;
    float lobe = a * a / (3.14159 * spread * spread);
    float k = (rough + 1.0) * (rough + 1.0) / 8.0;
    float shadow = 1.0 / ((key * (1.0 - k) + k) * (facing * (1.0 - k) + k) * 4.0);
    vec3 fresnel = mirror + (1.0 - mirror) * pow(1.0 - max(dot(halfway, toEye), 0.0), 5.0);
    vec3 shine = fresnel * min(lobe * shadow * key, 8.0) * 0.72;
    vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float steep = min(r.x * r.x, exp2(-9.28 * facing)) * r.x + r.y;
    vec2 sent = vec2(-1.04, 1.04) * steep + r.zw;
    shine += room(reflect(-toEye, n), rough) * (mirror * sent.x + sent.y) * open;
    vec3 glow = emission;
    if (hasEmissionMap) glow *= pow(texture(emissionMap, at).rgb, vec3(2.2));
    sum += shine + glow;
    return vec4(pow(min(sum, vec3(1.0)), vec3(1.0 / 2.2)), clamp(max(shine.r, max(shine.g, shine.b)), 0.0, 1.0));
}

void main() {
    if (edgeAlpha > 0.0) {
        color = vec4(edgeColor, edgeAlpha);
        return;
    }
    vec3 n = length(eyeNormal) > 0.0 ? normalize(eyeNormal) : vec3(0.0, 0.0, 1.0);
    vec3 toEye = normalize(-eyePlace);
    if (dot(n, toEye) < 0.0) n = -n;
    vec3 surface = showVertexColor ? ground * ownColor : ground;
    // Rows of pictures run downwards.
    vec2 at = vec2(ownUv.x, 1.0 - ownUv.y);
    float seenAlpha = opacity;
    if (showTexture) {
        vec4 texel = texture(picture, at);
        surface *= texel.rgb;
        seenAlpha *= texel.a;
    }
    if (seenAlpha < cutoff) discard;
    if (showChecker) {
        vec2 square = floor(at * 32.0);
        surface = mod(square.x + square.y, 2.0) < 0.5 ? vec3(0.87, 0.86, 0.82) : vec3(0.38, 0.41, 0.42);
    }
    if (showMisses && texture(misses, at).r > 0.2) {
        surface = farOut;
        isMarked = true;
    }
    if (tint == 1) {
        float size = abs(ownValue);
        if (size > tolerance) {
            // From the edge of the tolerance to four times it.
            float amount = clamp((size / max(tolerance, 1e-30) - 1.0) / 3.0, 0.0, 1.0);
            surface = ownValue > 0.0 ? mix(slightlyOut, farOut, amount) : mix(slightlyIn, farIn, amount);
        }
    } else if (tint == 2) {
        float pixels = area * pixelsPerUnit * pixelsPerUnit * triangleShare;
        // From four pixels to a twenty-fifth of one.
        if (pixels < 4.0) surface = mix(slightlyIn, farIn, clamp(log2(4.0 / max(pixels, 1e-12)) / log2(100.0), 0.0, 1.0));
    } else if (tint == 3 && ownValue > 0.0) {
        // Twice as many along a side, or half as many, are still right; from there to eight times more or fewer.
        float steps = log2(ownValue / pixelsPerUnit);
        float amount = clamp((abs(steps) - 1.0) / 2.0, 0.0, 1.0);
        if (steps > 1.0) surface = mix(slightlyIn, farIn, amount);
        if (steps < -1.0) surface = mix(slightlyOut, farOut, amount);
    }
    if (isLit) {
        vec4 seen = underStudioLight(surface, n, toEye, at);
        color = vec4(mix(seen.rgb, paper, fade), max(seenAlpha, seen.a));
        return;
    }
    vec3 key = toLight;
    vec3 fill = normalize(vec3(0.7, -0.2, 0.4));
    float light = 0.30 + 0.68 * max(dot(n, key), 0.0) + 0.16 * max(dot(n, fill), 0.0) + 0.06 * n.y;
    float shine = 0.03 * pow(max(dot(n, normalize(key + toEye)), 0.0), 24.0);
    color = vec4(mix(surface * light + vec3(shine), paper, fade), 1.0);
}
)";

inline constexpr const char* backgroundVertexShader = R"(#version 330 core
out float height;
void main() {
    vec2 corner = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2);
    height = corner.y;
    gl_Position = vec4(corner * 2.0 - 1.0, 0.9999, 1.0);
}
)";

inline constexpr const char* backgroundFragmentShader = R"(#version 330 core
in float height;
uniform vec3 top;
uniform vec3 bottom;
out vec4 color;
void main() {
    color = vec4(mix(bottom, top, height), 1.0);
}
)";

}  // namespace um::app
