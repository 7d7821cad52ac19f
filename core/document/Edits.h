#pragma once
/// Changes of a document that the person decides on. Each makes another document of one; what was stays with whoever
/// holds it.
#include "document/Document.h"

#include <optional>

namespace um {

/// Another mesh in the source's place, which no file holds and against which nothing is measured yet. Guards that it
/// cannot have go.
Document withSource(Document document, std::shared_ptr<const Mesh> mesh);

/// A file's mesh in the source's place, likewise: the same file as it is now, or another. What a unit of the same file
/// means, and what is up in it, stays as it was decided; those of another one too, if it does not say so itself.
/// @param read  a new document around it
Document withSourceOf(Document document, const Document& read);

/// What a unit of the coordinates means, from now on; the coordinates stay.
Document withUnit(Document document, double metresPerUnit);

/// Which axis points up in the source's file, from now on: source and levels are turned so that they stand along y.
Document withUp(Document document, UpAxis up);

/// A part's guard; 0 takes it away.
Document withPartGuard(Document document, const std::string& part, GuardValue value);

/// A result as the last level, under the next name "LOD n" that is free.
Document withLevel(Document document, Level level);

/// Nothing changes where there is no such level, or the name is empty.
Document withRenamedLevel(Document document, std::size_t level, const std::string& name);
Document withoutLevel(Document document, std::size_t level);
/// A level in another place of the list; those between move up.
Document withMovedLevel(Document document, std::size_t from, std::size_t to);
/// A level's recipe; its mesh stays as it is, and may then be stale.
Document withLevelRecipe(Document document, std::size_t level, const LevelRecipe& recipe);
Document withLevelLocked(Document document, std::size_t level, bool locked);
/// A mesh made by hand in a level's place, or as a new last one where there is no such level. Nothing of it is measured
/// yet.
Document withHandmadeLevel(Document document, std::size_t level, std::shared_ptr<const Mesh> mesh);
/// A level with the look of its source on a sheet, wherever the document still has the mesh that was baked to. Its
/// shape, and with it what was measured of that, is the same. @returns nothing if it has it no more
std::optional<Document> withBakedLevel(Document document, const std::shared_ptr<const Mesh>& old,
                                       std::shared_ptr<const Mesh> baked, const BakeFigures& figures);
/// A level whose materials were merged, likewise. It is locked: made anew, it would have its materials again.
std::optional<Document> withMergedLevel(Document document, const std::shared_ptr<const Mesh>& old,
                                        std::shared_ptr<const Mesh> merged);
/// A chain in the place of all levels.
Document withChain(Document document, std::vector<Level> levels);
/// Levels made anew, each in the place of the one that it was made from. Whatever else was decided of that one
/// meanwhile stays; levels that went, or were locked, stay as they are.
/// @param before  the levels as they were when making began, one for each of `made`
Document withRemadeLevels(Document document, const std::vector<Level>& before, const std::vector<Level>& made);

/// Where a level comes in, in metres, by hand; 0 lets its error decide. Kept between those of its neighbours, which
/// stay where they are.
Document withSwitchDistance(Document document, std::size_t level, double metres, const Band& band);

/// The chain's recipe: what can be done again on another source.
Recipe recipeOf(const Document& document);
/// The settings of a recipe, apart from its levels.
Document withSettingsOf(Document document, const Recipe& recipe);

/// Which levels would come out differently if they were made now. Those by hand and those locked never would, and those
/// of which nobody knows how they were made are not told.
std::vector<bool> staleLevels(const Document& document);
/// Whether a level that is not stale comes out again as it is; what is by hand or locked does not.
bool canBeMadeAgain(const Level& level);
/// How a level would be made now.
/// @param comesIn  metres
std::string howMade(const Document& document, std::size_t level, double comesIn);

/// A mesh in another's place, wherever the document has it, as source or as level; what was measured of it no longer
/// holds. @returns nothing if the document does not have it
std::optional<Document> withMeshReplaced(Document document, const std::shared_ptr<const Mesh>& old,
                                         std::shared_ptr<const Mesh> mesh);

}  // namespace um
