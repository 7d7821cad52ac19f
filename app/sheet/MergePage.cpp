#include "app/sheet/MergePage.h"

#include "app/panels/Widgets.h"
#include "app/theme/NumberText.h"
#include "app/theme/Theme.h"
#include "base/Units.h"
#include "mesh/Materials.h"

#include <cmath>
#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <set>

namespace um::app {
namespace {

using Kind = MaterialTree::Kind;

constexpr int swatchSize = 14;

QString wholePercent(double share) {
    return number(std::round(100 * share)) + " %";
}

QString megabytes(double bytes) {
    return number(bytes / 1e6) + " MB";
}

QTreeWidgetItem* makeRow(Kind kind, int number, const QString& name, const QString& says) {
    auto* row = new QTreeWidgetItem({name, says});
    row->setData(0, MaterialTree::kindRole, int(kind));
    row->setData(0, MaterialTree::numberRole, number);
    row->setForeground(1, theme().softInk);
    row->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsDropEnabled;
    if (kind == Kind::Material || kind == Kind::StoodInFor) flags |= Qt::ItemIsDragEnabled | Qt::ItemIsSelectable;
    row->setFlags(flags);
    row->setSizeHint(0, {0, MaterialTree::rowHeight});
    return row;
}

}  // namespace

MergePage::MergePage(QWidget* parent)
    : QWidget(parent),
      m_problem(new QLabel),
      m_tree(new MaterialTree),
      m_sheet(new CommitField),
      m_share(new QComboBox),
      m_join(new QCheckBox(tr("one part: a single draw call a sheet"))),
      m_figures(new QGridLayout),
      m_offers(new QWidget),
      m_offerRows(new QVBoxLayout(m_offers)) {
    auto* what = makeQuietLabel(tr(
        "Several materials in one set of textures; the geometry stays as it is. Drag a material to another sheet, or "
        "onto one that is to be shown in its place."));
    what->setWordWrap(true);
    m_sheet->setObjectName("mergeSize");
    m_sheet->setHint(tr("Texels on a side of each sheet; padding and bits are those of baking"));
    m_share->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    m_share->setMinimumContentsLength(6);
    m_share->addItem(tr("as its textures were"), int(SheetShare::Density));
    m_share->addItem(tr("by what is seen"), int(SheetShare::Seen));
    m_share->addItem(tr("evenly over the surface"), int(SheetShare::Area));
    m_join->setFont(textFont(-1));
    auto* fields = new QGridLayout;
    fields->setHorizontalSpacing(8);
    fields->setVerticalSpacing(6);
    fields->setColumnStretch(1, 1);
    fields->addWidget(makeQuietLabel(tr("Sheets")), 0, 0);
    fields->addWidget(m_sheet, 0, 1);
    fields->addWidget(makeQuietLabel(tr("Shared")), 1, 0);
    fields->addWidget(m_share, 1, 1);
    m_figures->setHorizontalSpacing(10);
    m_figures->setVerticalSpacing(3);
    m_figures->setColumnStretch(0, 1);
    m_offerRows->setContentsMargins(0, 0, 0, 0);
    m_offerRows->setSpacing(6);
    m_problem->setObjectName("warn");
    m_problem->setWordWrap(true);
    m_problem->hide();
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addWidget(what);
    column->addWidget(m_tree);
    column->addLayout(fields);
    column->addWidget(m_join);
    column->addWidget(makeRule());
    column->addLayout(m_figures);
    column->addWidget(m_problem);
    column->addWidget(m_offers);
    connect(m_tree, &MaterialTree::dropped, this, &MergePage::dropOn);
    connect(m_join, &QCheckBox::clicked, this, [this](bool on) { change([&](MergeChoice& c) { c.joinParts = on; }); });
    connect(m_share, &QComboBox::activated, this,
            [this] { change([&](MergeChoice& c) { c.share = SheetShare(m_share->currentData().toInt()); }); });
    connect(m_sheet, &CommitField::committed, this, [this](const QString& text) {
        const auto typed = parseNumberWithSuffix(text.toStdString());
        const bool isRight = typed && (typed->suffix.empty() || typed->suffix == "px") && typed->number >= 16 &&
                             typed->number <= 16384 && typed->number == std::floor(typed->number);
        if (!isRight) {
            m_sheet->showProblem(tr("A whole number of texels from 16 to 16384"));
            return;
        }
        m_sheet->showValue(tr("%1 px").arg(typed->number));
        change([&](MergeChoice& c) { c.sheet = int(typed->number); });
    });
}

bool MergePage::show(const std::shared_ptr<const Mesh>& mesh, const BakeChoice& bake, const MergeChoice& choice) {
    const MergeChoice fitted = fittedTo(choice, mesh ? mesh->materials.size() : 0);
    const bool isOther = mesh != m_mesh, isChanged = isOther || fitted != m_choice || bake != m_bake;
    m_bake = bake;
    m_choice = fitted;
    m_mesh = mesh;
    if (!isChanged) return false;
    if (isOther) m_facts.reset();
    m_forecast.reset();
    m_problem->hide();
    m_sheet->updateValue(tr("%1 px").arg(settings().sheet));
    m_share->setCurrentIndex(m_share->findData(int(choice.share)));
    m_join->setChecked(choice.joinParts);
    fillTree();
    fillOffers();
    return true;
}

// The page shows the settings of the document, and is updated with it.
void MergePage::change(const std::function<void(MergeChoice&)>& edit) {
    MergeChoice next = m_choice;
    edit(next);
    emit choiceChanged(next);
}

std::vector<int> MergePage::sheets() const {
    std::set<int> numbers;
    if (!m_mesh) return {};
    const std::vector<std::uint8_t> isUsed = usedMaterials(*m_mesh);
    for (std::size_t m = 0; m < m_choice.sheetOf.size(); ++m)
        if (isUsed[m] != 0 && m_choice.sheetOf[m] != leftOut && m_choice.standIn[m] == m)
            numbers.insert(m_choice.sheetOf[m]);
    return {numbers.begin(), numbers.end()};
}

void MergePage::putOn(std::uint32_t material, int sheet) {
    change([&](MergeChoice& c) {
        c.standIn[material] = material;
        c.sheetOf[material] = sheet;
    });
}

void MergePage::join(const std::vector<std::uint32_t>& materials, std::uint32_t standIn) {
    change([&](MergeChoice& c) {
        const std::uint32_t shown = c.standIn[standIn];
        for (const std::uint32_t material : materials) {
            if (material == shown) continue;
            // The materials that it replaces are replaced as well.
            for (std::uint32_t& one : c.standIn)
                if (one == material) one = shown;
            c.standIn[material] = shown;
        }
    });
}

void MergePage::dropOn(std::uint32_t material, Kind onto, int number) {
    switch (onto) {
        case Kind::Sheet: putOn(material, number); break;
        case Kind::AnotherSheet: putOn(material, sheets().empty() ? 0 : sheets().back() + 1); break;
        case Kind::LeftOut: putOn(material, leftOut); break;
        case Kind::Material:
        case Kind::StoodInFor: join({material}, std::uint32_t(number)); break;
    }
}

void MergePage::setFacts(MaterialFacts facts) {
    m_facts = std::move(facts);
    fillTree();
    fillOffers();
}

void MergePage::setForecast(const MergeForecast& forecast) {
    m_forecast = forecast;
    fillTree();
    fillOffers();
}

void MergePage::setProblem(const QString& sentence) {
    m_problem->setText(sentence);
    m_problem->show();
}

void MergePage::fillTree() {
    m_tree->clear();
    if (!m_mesh) return;
    const std::vector<std::uint8_t> isUsed = usedMaterials(*m_mesh);
    std::map<int, double> texels;
    if (m_forecast)
        for (std::size_t m = 0; m < isUsed.size(); ++m)
            if (isUsed[m] != 0 && m_choice.standIn[m] == m) texels[m_choice.sheetOf[m]] += m_forecast->rooms[m].texels;
    const auto addMaterials = [&](QTreeWidgetItem* under, int sheet) {
        for (std::uint32_t m = 0; m < isUsed.size(); ++m) {
            if (isUsed[m] == 0 || m_choice.sheetOf[m] != sheet || m_choice.standIn[m] != m) continue;
            QString says;
            if (m_forecast) {
                const MaterialRoom& room = m_forecast->rooms[m];
                if (sheet == leftOut)
                    says = megabytes(room.textureBytes);
                else if (!(room.texels > 0))
                    says = tr("flat");
                else if (room.repeats)
                    says =
                        tr("repeats %1 x, %2").arg(number(room.timesOver), wholePercent(room.texels / texels[sheet]));
                else if (room.texels < 0.005 * texels[sheet])
                    says = tr("under 1 %");
                else
                    says = wholePercent(room.texels / texels[sheet]);
            }
            const Material& material = m_mesh->materials[m];
            QTreeWidgetItem* row = makeRow(Kind::Material, int(m), QString::fromStdString(material.name), says);
            const auto give = [&](QTreeWidgetItem* to, std::uint32_t of) {
                if (m_facts && of < m_facts->swatches.size() && !m_facts->swatches[of].isNull())
                    to->setIcon(0, QPixmap::fromImage(
                                       m_facts->swatches[of].scaled(swatchSize, swatchSize, Qt::IgnoreAspectRatio)));
            };
            give(row, m);
            under->addChild(row);
            for (std::uint32_t other = 0; other < isUsed.size(); ++other)
                if (other != m && m_choice.standIn[other] == m && isUsed[other] != 0) {
                    QTreeWidgetItem* child =
                        makeRow(Kind::StoodInFor, int(other), QString::fromStdString(m_mesh->materials[other].name),
                                tr("is shown as that"));
                    give(child, other);
                    row->addChild(child);
                }
        }
    };
    const std::vector<int> numbers = sheets();
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        QString says;
        if (m_forecast && i < m_forecast->sheets.size())
            says = m_share->currentData().toInt() == int(SheetShare::Density)
                       ? tr("%1 of their texels").arg(wholePercent(std::min(1.0, m_forecast->sheets[i].density)))
                       : tr("%1 full").arg(wholePercent(m_forecast->sheets[i].fill));
        QTreeWidgetItem* row = makeRow(Kind::Sheet, numbers[i], tr("Sheet %1").arg(i + 1), says);
        row->setFont(0, textFont(-1, QFont::DemiBold));
        m_tree->addTopLevelItem(row);
        addMaterials(row, numbers[i]);
    }
    QTreeWidgetItem* another = makeRow(Kind::AnotherSheet, 0, tr("Another sheet"), QString());
    another->setForeground(0, theme().softInk);
    m_tree->addTopLevelItem(another);
    QTreeWidgetItem* kept = makeRow(Kind::LeftOut, 0, tr("Keep their own textures"), QString());
    kept->setFont(0, textFont(-1, QFont::DemiBold));
    m_tree->addTopLevelItem(kept);
    addMaterials(kept, leftOut);
    m_tree->fit();
}

// Now and then, a line each; and what could be done instead.
void MergePage::fillOffers() {
    emptyLayout(*m_figures);
    emptyLayout(*m_offerRows);
    m_offers->setVisible(false);
    if (!m_mesh) return;
    const MaterialCost before = materialCostOf(*m_mesh);
    int row = 0;
    const auto add = [&](const QString& name, const QString& now, const QString& then, bool isMore) {
        auto* to = new QLabel(then.isEmpty() ? " " : tr("to %1").arg(then));
        to->setFont(textFont(-1));
        to->setAlignment(Qt::AlignRight);
        if (isMore) to->setObjectName("warn");
        auto* from = makeQuietLabel(now);
        from->setAlignment(Qt::AlignRight);
        m_figures->addWidget(makeQuietLabel(name), row, 0);
        m_figures->addWidget(from, row, 1);
        m_figures->addWidget(to, row, 2);
        ++row;
    };
    const auto count = [&](const QString& name, std::size_t MaterialCost::*what) {
        const std::size_t now = before.*what;
        add(name, QString::number(now), m_forecast ? QString::number(m_forecast->after.*what) : QString(),
            m_forecast && m_forecast->after.*what > now);
    };
    count(tr("Materials"), &MaterialCost::materials);
    count(tr("Textures"), &MaterialCost::textures);
    count(tr("Draw calls"), &MaterialCost::drawCalls);
    add(tr("Texture memory"), megabytes(before.textureBytes),
        m_forecast ? megabytes(m_forecast->after.textureBytes) : "",
        m_forecast && m_forecast->after.textureBytes > before.textureBytes);
    const auto nameOf = [&](std::uint32_t m) { return QString::fromStdString(m_mesh->materials[m].name); };
    if (m_forecast)
        for (const LeaveOutOffer& offer : m_forecast->leaveOut) {
            // Only what it costs the others is worth a word.
            if (offer.share < 0.2) continue;
            QString text =
                tr("%1 repeats and takes %2 of a sheet.").arg(nameOf(offer.material), wholePercent(offer.share));
            if (offer.othersDensity)
                text += tr(" Left out, the others keep %1 of their texels; %2 draw calls, %3.")
                            .arg(wholePercent(std::min(1.0, *offer.othersDensity)))
                            .arg(offer.cost.drawCalls)
                            .arg(megabytes(offer.cost.textureBytes));
            addOffer(text, tr("Leave out"), [this, m = offer.material] { putOn(m, leftOut); });
        }
    if (m_facts)
        for (const JoinOffer& offer : m_facts->joins) {
            QStringList names;
            bool areApart = false;
            for (const std::uint32_t m : offer.materials) {
                names += nameOf(m);
                areApart = areApart || m_choice.standIn[m] != m_choice.standIn[offer.materials.front()];
            }
            if (!areApart) continue;
            addOffer(tr("%1 are %2; as one, it looks off by %3 (CIELAB).")
                         .arg(names.join(tr(" and ")),
                              offer.alikeness == Alikeness::Nearly ? tr("nearly the same") : tr("alike on the whole"),
                              number(offer.lookOff)),
                     tr("Join"), [this, materials = offer.materials] { join(materials, materials.front()); });
        }
}

void MergePage::addOffer(const QString& text, const QString& button, const std::function<void()>& action) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(8);
    auto* label = makeQuietLabel(text);
    label->setWordWrap(true);
    auto* push = new QPushButton(button);
    line->addWidget(label, 1);
    line->addWidget(push, 0, Qt::AlignTop);
    connect(push, &QPushButton::clicked, this, action);
    m_offerRows->addWidget(row);
    m_offers->setVisible(true);
}

QString MergePage::predicted() const {
    QStringList lines;
    for (int row = 0; row < m_figures->rowCount(); ++row) {
        QStringList cells;
        for (int column = 0; column < 3; ++column)
            if (const QLayoutItem* item = m_figures->itemAtPosition(row, column))
                cells += static_cast<QLabel*>(item->widget())->text();
        if (!cells.isEmpty()) lines += cells.join(' ');
    }
    return lines.join('\n');
}

}  // namespace um::app
