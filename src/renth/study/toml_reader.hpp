// Reading one table of study.toml: every key asked for once, everything else an error.
#pragma once
#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/names.hpp>
#include <renth/study/study.hpp>
#include <set>
#include <utility>

namespace renth {

using Faults = std::vector<StudyFault>;

inline void report(Faults& problems, const toml::node* node, std::string key, std::string text,
                   std::string remedy) {
  const toml::source_position at = node ? node->source().begin : toml::source_position{};
  problems.push_back({static_cast<int>(at.line), static_cast<int>(at.column), std::move(key), std::move(text),
                      std::move(remedy)});
}

class TableReader {
 public:
  TableReader(const toml::table& table, std::string path, Faults& problems)
      : table_(table), path_(std::move(path)), problems_(problems) {}

  const toml::node* find(const std::string& key) {
    known_.insert(key);
    return table_.get(key);
  }
  bool has(const std::string& key) const { return table_.contains(key); }
  std::string path(const std::string& key) const { return path_ + "." + key; }
  const toml::table& table() const { return table_; }
  void problem(const std::string& key, std::string text, std::string remedy) {
    const toml::node* node = table_.get(key);
    report(problems_, node ? node : &table_,
           node || key.empty() ? (key.empty() ? path_ : path(key)) : path(key), std::move(text),
           std::move(remedy));
  }

  std::optional<std::string> text(const std::string& key) {
    const toml::node* node = find(key);
    if (!node) return std::nullopt;
    if (node->is_string()) return std::string(node->as_string()->get());
    problem(key, "must be a text in quotes", fmt::format("write {} = \"…\"", key));
    return std::nullopt;
  }
  std::optional<double> number(const std::string& key) {
    const toml::node* node = find(key);
    if (!node) return std::nullopt;
    const auto value = node->is_number() ? node->value<double>() : std::nullopt;
    if (value && std::isfinite(*value)) return value;
    problem(key, "must be a number", fmt::format("write {} = 1.5", key));
    return std::nullopt;
  }
  /// A whole number that the type can hold and that is neither below `least` nor above `most`.
  template <class Whole>
  std::optional<Whole> whole(const std::string& key, Whole least,
                             Whole most = std::numeric_limits<Whole>::max()) {
    const toml::node* node = find(key);
    if (!node) return std::nullopt;
    if (node->is_integer())
      if (const std::int64_t value = node->as_integer()->get();
          std::cmp_greater_equal(value, least) && std::cmp_less_equal(value, most))
        return static_cast<Whole>(value);
    problem(key, fmt::format("must be a whole number from {} to {}", least, most),
            fmt::format("write {} = {}", key, std::max(least, Whole(1))));
    return std::nullopt;
  }
  std::optional<bool> flag(const std::string& key) {
    const toml::node* node = find(key);
    if (!node) return std::nullopt;
    if (node->is_boolean()) return node->as_boolean()->get();
    problem(key, "must be true or false", fmt::format("write {} = true", key));
    return std::nullopt;
  }
  std::optional<std::vector<double>> numbers(const std::string& key) {
    const toml::node* node = find(key);
    if (!node) return std::nullopt;
    std::vector<double> out;
    if (node->is_array())
      for (const toml::node& item : *node->as_array())
        if (const auto v = item.is_number() ? item.value<double>() : std::nullopt; v && std::isfinite(*v))
          out.push_back(*v);
    if (node->is_array() && !out.empty() && out.size() == node->as_array()->size()) return out;
    problem(key, "must be a list of numbers", fmt::format("write {} = [1.0, 2.0]", key));
    return std::nullopt;
  }
  std::optional<std::vector<std::string>> texts(const std::string& key) {
    const toml::node* node = find(key);
    if (!node) return std::nullopt;
    std::vector<std::string> out;
    if (node->is_array())
      for (const toml::node& item : *node->as_array())
        if (item.is_string()) out.emplace_back(item.as_string()->get());
    if (node->is_array() && !out.empty() && out.size() == node->as_array()->size()) return out;
    problem(key, "must be a list of texts", fmt::format("write {} = [\"a\", \"b\"]", key));
    return std::nullopt;
  }

  /// After everything was asked for: what is left is unknown.
  void finish() {
    for (const auto& [key, node] : table_) {
      const std::string word(key.str());
      if (known_.count(word)) continue;
      const std::vector<std::string> names(known_.begin(), known_.end());
      report(problems_, &node, path(word), "unknown key", instead_of(word, names));
    }
  }

 private:
  const toml::table& table_;
  std::string path_;
  Faults& problems_;
  std::set<std::string> known_;
};

/// The key `name`, an identifier that is not taken yet. \param what  has it, as messages call it.
inline std::string new_name(TableReader& table, std::set<std::string>& taken, const char* what) {
  const std::string name = table.text("name").value_or("");
  if (name.empty()) {
    if (!table.has("name"))
      table.problem("", fmt::format("a {} without a name", what), "give it  name = \"…\"");
  } else if (!is_identifier(name)) {
    table.problem("name", fmt::format("\"{}\" is not an identifier", name),
                  "use letters, digits and underscore; put the rest into label");
  } else if (!taken.insert(name).second) {
    table.problem("name", fmt::format("the name {} is used twice", name), "rename one");
  }
  return name;
}

}  // namespace renth
