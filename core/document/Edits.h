#pragma once
/// Changes of a document that the person decides on. Each makes another document of one; what was stays with whoever
/// holds it.
#include "document/Document.h"

#include <optional>

namespace um {

/// Another mesh in the source's place, which no file holds and against which nothing is measured yet.
Document withSource(Document document, std::shared_ptr<const Mesh> mesh);

/// What a unit of the coordinates means, from now on; the coordinates stay.
Document withUnit(Document document, double metresPerUnit);

/// A part's guard; 0 takes it away.
Document withPartGuard(Document document, const std::string& part, GuardValue value);

/// A result as the last level, under the next name "LOD n" that is free.
Document withLevel(Document document, Level level);

/// Nothing changes where there is no such level, or the name is empty.
Document withRenamedLevel(Document document, std::size_t level, const std::string& name);
Document withoutLevel(Document document, std::size_t level);

/// A mesh in another's place, wherever the document has it, as source or as level; what was measured of it no longer
/// holds. @returns nothing if the document does not have it
std::optional<Document> withMeshReplaced(Document document, const std::shared_ptr<const Mesh>& old,
                                         std::shared_ptr<const Mesh> mesh);

}  // namespace um
