#pragma once
// The document: one cell with its variants as differences over the baseline. A value; copying is cheap enough to keep
// every state for undo.

#include <memory>

#include "edit.h"

namespace escarp::cell {

inline constexpr int format_version = 1;

struct VariantInfo {
    std::string id, name;
};

class Document {
public:
    Document();  ///< an empty floor, one variant
    /// Checks the outline only (version, variants); what the devices mean is checked by `read_cell`.
    /// Throws InputError with line and column for broken JSON, with a path of keys otherwise.
    static Document parse(const std::string& text);
    static Document load(const std::string& file);
    std::string text() const;
    /// As `write_file` does. Throws InputError, also where it would be too large to be read again.
    void save(const std::string& file) const;

    const json& tree() const { return *tree_; }
    std::string name() const;
    std::vector<VariantInfo> variants() const;
    std::string baseline() const;
    bool has_variant(const std::string& id) const;
    /// What the variant changes, in the order in which it is applied.
    Operations differences(const std::string& variant) const;

    /// The whole cell as this variant has it. Differences that no longer fit (their device is gone from the baseline)
    /// are left out and named in `lost`.
    json resolved(const std::string& variant, std::vector<std::string>* lost = nullptr) const;

    /// The document after an edit made while looking at `variant`: in the baseline it reaches every variant that does
    /// not override the value; in another variant it becomes a difference. Throws InputError.
    Document edited(const std::string& variant, const Edit& edit) const;

    /// The document after operations on the file itself, variants and all (as `difference` of two documents' trees
    /// gives them). Throws InputError.
    Document applied(const Operations& operations) const;

    /// A difference of a variant at exactly this path is taken back; the document itself where there is none.
    Document put_back(const std::string& variant, const std::string& at) const;
    /// The variant's value becomes the baseline's; other variants keep what they alter themselves.
    Document pushed_to_baseline(const std::string& variant, const std::string& at) const;
    /// The variant's value becomes that of every variant.
    Document pushed_to_all(const std::string& variant, const std::string& at) const;

    Document with_variant(const std::string& id, const std::string& name, const std::string& like) const;
    Document renamed_variant(const std::string& id, const std::string& name) const;
    /// Throws InputError for the baseline.
    Document without_variant(const std::string& id) const;
    /// Makes another variant the baseline; every variant's resolved cell stays what it was.
    Document with_baseline(const std::string& id) const;
    std::string free_variant_id() const;

    bool operator==(const Document& other) const { return *tree_ == *other.tree_; }

private:
    /// The same checks as when it is read from a file, so that what an edit leaves can be opened again.
    static Document checked(json tree);
    explicit Document(json tree) : tree_(std::make_shared<const json>(std::move(tree))) {}
    static json cell_part(const json& tree);
    std::shared_ptr<const json> tree_;
};

}  // namespace escarp::cell
