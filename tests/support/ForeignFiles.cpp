#include "tests/support/ForeignFiles.h"

#include <boost/crc.hpp>
#include <cstdint>
#include <utility>
#include <vector>

namespace um::test {
namespace {

const char* const off = "OFF\n5 4 0\n0 0 0\n1 0 0\n1 1 0\n0 1 0\n0 0 1\n4 0 3 2 1\n3 0 1 4\n3 1 2 4\n3 2 3 4\n";

const char* const collada = R"(<?xml version="1.0"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
 <asset><unit name="centimeter" meter="0.01"/><up_axis>Z_UP</up_axis></asset>
 <library_effects><effect id="e"><profile_COMMON><technique sid="t"><lambert><diffuse><color>0.5 0.25 0.75 1</color></diffuse></lambert></technique></profile_COMMON></effect></library_effects>
 <library_materials><material id="m" name="Rust"><instance_effect url="#e"/></material></library_materials>
 <library_geometries><geometry id="g" name="Plate"><mesh>
  <source id="p"><float_array id="pa" count="12">0 0 0 100 0 0 100 100 0 0 100 0</float_array><technique_common><accessor source="#pa" count="4" stride="3"><param name="X" type="float"/><param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
  <source id="u"><float_array id="ua" count="8">0 0 1 0 1 1 0 1</float_array><technique_common><accessor source="#ua" count="4" stride="2"><param name="S" type="float"/><param name="T" type="float"/></accessor></technique_common></source>
  <vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
  <triangles count="2" material="mm"><input semantic="VERTEX" source="#v" offset="0"/><input semantic="TEXCOORD" source="#u" offset="1"/><p>0 0 1 1 2 2 0 0 2 2 3 3</p></triangles>
 </mesh></geometry></library_geometries>
 <library_visual_scenes><visual_scene id="s"><node id="n" name="Hatch"><translate>0 0 50</translate><instance_geometry url="#g"><bind_material><technique_common><instance_material symbol="mm" target="#m"/></technique_common></bind_material></instance_geometry></node></visual_scene></library_visual_scenes>
 <scene><instance_visual_scene url="#s"/></scene>
</COLLADA>)";

const char* const x3d = R"(<?xml version="1.0"?>
<X3D profile="Interchange" version="3.3"><Scene><Shape DEF="Sail"><Appearance><Material diffuseColor="1 0 0"/></Appearance>
<IndexedFaceSet coordIndex="0 1 2 3 -1 0 1 4 -1"><Coordinate point="0 0 0 2 0 0 2 2 0 0 2 0 1 1 1"/></IndexedFaceSet></Shape></Scene></X3D>)";

std::string little(std::uint32_t value, int bytes) {
    std::string text;
    for (int i = 0; i < bytes; ++i) text += char(value >> (8 * i) & 255);
    return text;
}

// An archive of files as they are.
std::string zipOf(const std::vector<std::pair<std::string, std::string>>& files) {
    std::string archive, list;
    for (const auto& [name, content] : files) {
        boost::crc_32_type crc;
        crc.process_bytes(content.data(), content.size());
        const auto size = std::uint32_t(content.size());
        const std::string head = little(20, 2) + little(0, 8) + little(crc.checksum(), 4) + little(size, 4) +
                                 little(size, 4) + little(std::uint32_t(name.size()), 2) + little(0, 2);
        list += little(0x02014b50, 4) + little(20, 2) + head + little(0, 10) +
                little(std::uint32_t(archive.size()), 4) + name;
        archive += little(0x04034b50, 4) + head + name + content;
    }
    const auto count = std::uint32_t(files.size());
    return archive + list + little(0x06054b50, 4) + little(0, 4) + little(count, 2) + little(count, 2) +
           little(std::uint32_t(list.size()), 4) + little(std::uint32_t(archive.size()), 4) + little(0, 2);
}

}  // namespace

std::string offPyramid() {
    return off;
}

std::string colladaPlate() {
    return collada;
}

std::string x3dSail() {
    return x3d;
}

std::string threeMfFoot() {
    return zipOf(
        {{"[Content_Types].xml",
          R"(<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>)"},
         {"_rels/.rels",
          R"(<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>)"},
         {"3D/3dmodel.model",
          R"(<?xml version="1.0"?><model unit="millimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources><object id="1" type="model"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="10" y="0" z="0"/><vertex x="0" y="20" z="0"/><vertex x="0" y="0" z="30"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0" v3="3"/></triangles></mesh></object></resources><build><item objectid="1"/></build></model>)"}});
}

}  // namespace um::test
