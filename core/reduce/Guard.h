#pragma once
/// Guards: places that a reduction holds, keeps or yields.
#include "mesh/Mesh.h"

#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace um {

/// The guard of one place. Above 1 it is held (not touched). From 0 to 1 it is kept: its error counts more. From 0 to
/// -1 it yields: its error counts less.
using GuardValue = float;
inline constexpr GuardValue guardHold = 2;

struct PartGuard {
    std::string part;
    GuardValue value = 0;

    bool operator==(const PartGuard&) const = default;
};

/// A guard for each vertex of a mesh. The values are shared and never change: a copy costs nothing, and the hash is
/// made once.
class VertexGuard {
public:
    VertexGuard() = default;
    VertexGuard(std::vector<GuardValue> values);

    bool empty() const { return !m_values; }
    std::size_t size() const { return m_values ? m_values->size() : 0; }
    GuardValue operator[](std::size_t vertex) const { return (*m_values)[vertex]; }
    /// None where it is empty.
    std::span<const GuardValue> values() const;
    /// hashBytes() of the values; empty where there are none.
    const std::string& hash() const { return m_hash; }
    bool operator==(const VertexGuard& other) const { return m_hash == other.m_hash; }

private:
    std::shared_ptr<const std::vector<GuardValue>> m_values;  // null where there are none
    std::string m_hash;
};

struct Guard {
    std::vector<PartGuard> parts;
    VertexGuard vertices;  ///< empty, or of the source's vertices

    bool empty() const { return parts.empty() && vertices.empty(); }
    bool operator==(const Guard&) const = default;
};

/// `hold`, `keep`, `keep 0.8`, `yield`, `yield 0.3`, `none`. Without a number, strength is 0.5.
/// @throws InputError  saying what would be right
GuardValue parseGuard(std::string_view text);
std::string formatGuard(GuardValue value);

/// The guard of each vertex: its own where it has one, else the strictest of the parts that it belongs to.
/// @throws MeshError  if `guard` names a part that the mesh does not have, or was made for another count of vertices
std::vector<GuardValue> guardOfVertices(const Guard& guard, const Mesh& mesh);

/// The guard without parts that a mesh lacks, and without vertices if the counts differ.
Guard guardFitting(Guard guard, const Mesh& mesh);

/// The weight of the error at a place: 100 for keep at full strength, 1/100 for yield.
float guardFactor(GuardValue value);

/// The guard painted into a channel of the vertex colours: 128 is none, 255 hold, above 128 keep, below yield.
/// @param channel  0 red, 1 green, 2 blue, 3 alpha
/// @throws MeshError  if the mesh has no colours
Guard guardFromColors(const Mesh& mesh, int channel);

/// As JSON: parts by name, vertices in runs of equal value.
std::string guardText(const Guard& guard);
/// @throws InputError  saying what is wrong with it
Guard guardFromText(std::string_view text);

/// The same in a small file.
/// @throws FileError
void writeGuard(const Guard& guard, const std::filesystem::path& file);
Guard readGuard(const std::filesystem::path& file);

}  // namespace um
