#include "layout.h"

#include <cstdio>
#include <mutex>

#include <cell/text/content_key.h>

namespace escarp::cell {

const std::vector<std::string>& keys_without_figures() {
    static const std::vector<std::string> all{
        "name", "views", "underlay", "studies", "links", "variants", "baseline", "retired_ids", "unfinished_models"};
    return all;
}

struct Layout::State {
    Document document;
    std::string variant;
    const Kinds* kinds;
    std::once_flag resolve, read, sum_up;
    json tree;
    std::string content;
    std::vector<std::string> lost;
    std::shared_ptr<const Cell> cell;
    std::exception_ptr wrong;
};

Layout::Layout(Document document, std::string variant, const Kinds& kinds) : state_(std::make_shared<State>()) {
    state_->document = std::move(document);
    state_->variant = std::move(variant);
    state_->kinds = &kinds;
}

const Document& Layout::document() const { return state_->document; }
const std::string& Layout::variant() const { return state_->variant; }
const Kinds& Layout::kinds() const { return *state_->kinds; }

const json& Layout::tree() const {
    State& s = *state_;
    std::call_once(s.resolve, [&s] { s.tree = s.document.resolved(s.variant, &s.lost); });
    return s.tree;
}

const std::string& Layout::content() const {
    State& s = *state_;
    const json& resolved = tree();
    std::call_once(s.sum_up, [&] {
        json sense = resolved;
        for (const std::string& key : keys_without_figures()) sense.erase(key);
        const std::string text = sense.dump();
        char out[40];
        std::snprintf(out, sizeof out, "%016llx%016llx",
            static_cast<unsigned long long>(ContentKey().add(text).value()),
            static_cast<unsigned long long>(ContentKey().add(1).add(text).value()));
        s.content = out;
    });
    return s.content;
}

const std::vector<std::string>& Layout::lost() const {
    tree();
    return state_->lost;
}

std::shared_ptr<const Cell> Layout::shared_cell() const {
    State& s = *state_;
    const json& resolved = tree();
    std::call_once(s.read, [&] {
        try {
            s.cell = read_cell(resolved, *s.kinds);
        } catch (const InputError&) {
            s.wrong = std::current_exception();
        }
    });
    if (s.wrong) std::rethrow_exception(s.wrong);
    return s.cell;
}

Layout Layout::edited(const Edit& edit) const {
    return {state_->document.edited(state_->variant, edit), state_->variant, *state_->kinds};
}

}  // namespace escarp::cell
