#pragma once
// Editors for the keys of a group, made from its table of fields.

#include <functional>

#include <cell/model/field.h>
#include <desktop/session/open_cell.h>

#include "field_grid.h"

namespace escarp::desktop {

/// The words of a table, in the window's language.
QString said(const std::string& words);

/// The group whose keys are edited.
struct EditedGroup {
    std::string at;     ///< its path: "/devices/arm1/task/s2"
    cell::json values;  ///< as it stands there
    QString names;      ///< how the editors' object names begin
    QString title;      ///< what an edit is called
    const cell::Device* owner = nullptr;
    const cell::Step* step = nullptr;
};

class FieldEditors {
public:
    /// `context` lives as long as the editors do.
    FieldEditors(OpenCell& open, const Results& results, FieldGrid& grid, QObject* context, const EditedGroup& group);
    void add(const cell::Fields& fields);
    void add(const cell::Field& field);
    /// What is done when an element of a list that has no name gets another id; else ids are not shown.
    using Rename = std::function<void(const std::string& path, const std::string& to)>;
    void on_rename(Rename rename) { rename_ = std::move(rename); }

private:
    using Choices = std::vector<std::pair<QString, cell::json>>;
    /// What an editor needs when it is used, long after it was made.
    struct Setter {
        OpenCell& open;
        QObject* context;
        std::string title, at, instead;  ///< `instead`: what goes when a value is set; empty: nothing
        /// By the event loop: the edit makes the card anew, and with it the editor that is the caller.
        void set(const cell::json& value) const;
        void remove() const;
        /// An edit that is more than a value.
        void apply(const std::function<cell::Edit(const cell::Layout&)>& edit) const;
        void try_out(const cell::json& value) const;
    };
    Setter setter(const std::string& at) const { return {open_, context_, group_.title.toStdString(), at, {}}; }
    Setter setter(const cell::Field& field) const;
    std::string path(const cell::Field& field) const { return group_.at + "/" + field.key; }
    std::string text_now(const cell::Field& field) const;

    void put(QWidget* editor, const QString& label, const cell::Field& field, const QString& unit = {});
    void number(const cell::Field& field);
    void how_it_varies(const cell::Field& field, const cell::Spread& now);
    void choice(const cell::Field& field, const Choices& choices, const cell::json& now);
    void flag(const cell::Field& field);
    void text(const cell::Field& field);
    void typed_list(const cell::Field& field);
    void vector(const cell::Field& field);
    void colour(const cell::Field& field);
    void group(const cell::Field& field);
    void elements(const cell::Field& field);
    void bodies(const cell::Field& field);
    void own_signals(const cell::Field& field);
    void id_list(const cell::Field& field);
    void condition(const cell::Field& field, std::optional<bool> on_off);
    void id(const cell::Field& field);
    /// A line of the program's own words over what follows, with a link at its end.
    void heading(const QString& words, const QString& link = {}, const QString& name = {},
        const std::function<void()>& act = {});
    void nested(const cell::Field& field, const std::string& at, const cell::json& values, const cell::Fields& fields);
    static void make_on_the_spot(
        const Setter& setter, const cell::Field& field, const std::string& owner, const std::string& at, QWidget* box);
    std::string owner_id() const;
    void block(const cell::Field& field);
    void posture(const cell::Field& field);
    void held(const cell::Field& field);
    Choices named(const cell::Field& field) const;
    Choices seats(bool give) const;
    Choices devices(const cell::Field& f) const;
    Choices part_types() const;
    Choices signals_of(bool own, bool number = false) const;
    Choices grips() const;

    OpenCell& open_;
    const Results& results_;
    FieldGrid& grid_;
    QObject* context_;
    const EditedGroup group_;
    Rename rename_;
};

}  // namespace escarp::desktop
