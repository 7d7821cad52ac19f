#pragma once
/// Small files in the formats that we do not write.
#include <string>

namespace um::test {

/// Five vertices; a square that faces down and three of the four sides.
std::string offPyramid();

/// Two triangles with UVs, of the material Rust, in a node Hatch half a metre up; in centimetres, z up.
std::string colladaPlate();

/// A red square and a triangle.
std::string x3dSail();

/// A corner of 10 x 20 x 30 mm.
std::string threeMfFoot();

}  // namespace um::test
