#pragma once
/// How the chain is made and judged: a plan or a list of levels, what each level keeps, when levels switch, and what
/// all of it may cost. A card over the viewport.
#include "app/jobs/Job.h"
#include "document/Document.h"

#include <optional>
#include <QWidget>

class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;
class QPushButton;
class QScrollArea;
class QStackedWidget;

namespace um {
class InputError;
}

namespace um::app {

class CommitField;

/// A recipe that comes with the program.
struct ShippedRecipe {
    QString name, file, meaning;
};
std::vector<ShippedRecipe> shippedRecipes();
/// @throws InputError
Recipe readShipped(const ShippedRecipe& recipe);

class ChainCard : public QWidget {
    Q_OBJECT

public:
    ChainCard(Job& making, QWidget* parent);

    enum class Page { Make, Levels, Switching, Budget };

    void show(const Document& document, const std::vector<bool>& stale, const std::vector<std::string>& advice);
    void open(Page page);
    Page page() const;
    /// The fields, for those who fill them in from outside.
    CommitField* field(const QString& name) const;
    QComboBox* materialsOf(int level) const;
    QPushButton* makeButton() const { return m_make; }
    QPushButton* remakeButton() const { return m_remake; }

public slots:
    /// Makes what the first page says.
    void make();

signals:
    void makeWanted(const um::Recipe& recipe);
    void remakeWanted();
    void levelChanged(int level, const um::LevelRecipe& recipe);
    void switchingChanged(const um::Switching& switching);
    void budgetChanged(const um::Budget& budget);
    void saveRecipeWanted();
    void readRecipeWanted();
    void closed();

private:
    QWidget* makeMakePage();
    QWidget* makeLevelsPage();
    QWidget* makeSwitchingPage();
    QWidget* makeBudgetPage();
    CommitField* addField(QGridLayout* grid, const QString& key, const QString& label, const QString& hint);
    void fillLevels(const std::vector<bool>& stale);
    Recipe wantedRecipe() const;
    void takeSwitching();
    void takeBudget();
    void showProblem(const InputError& error);
    void openRecipeMenu();
    void fitHeight();

    Document m_document;
    std::vector<QPushButton*> m_tabs;
    QStackedWidget* m_pages;
    QComboBox* m_how;
    QStackedWidget* m_ways;
    QPushButton *m_make, *m_remake, *m_recipe;
    QLabel *m_problem, *m_stale, *m_advice;
    QGridLayout* m_levelGrid;
    QWidget* m_levelRows;
    std::vector<QWidget*> m_rowWidgets;
    std::optional<QString> m_rowsShown;
};

}  // namespace um::app
