#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/workflow/named_fits.hpp>

namespace renth {

NamedFitsResult list_fits(Session& session) {
  NamedFitsResult out;
  const std::vector<FitName> known = session.store.fit_names();
  out.any_current = !known.empty();
  for (const FitName& f : known)
    if (!f.name.empty())
      out.fits.push_back(
          {f.name, f.response, f.kind, f.runs, f.date, session.store.fitted_id(f.response) == f.surrogate});
  std::stable_sort(out.fits.begin(), out.fits.end(), [&](const NamedFit& a, const NamedFit& b) {
    const auto place = [&](const NamedFit& f) {
      const int index = session.study.response(f.response);  // of one that is gone: last
      return std::pair(f.name, index < 0 ? int(session.study.responses.size()) : index);
    };
    return place(a) < place(b);
  });
  return out;
}

void check_free_fit_name(Session& session, const std::string& name, const std::vector<Response>& responses) {
  std::string letters = name;
  std::replace(letters.begin(), letters.end(), '-', '_');
  if (!is_identifier("_" + letters))
    throw Error("the name of a fit is made of letters, digits, - and _", "\"" + name + "\"",
                "such as with-run-14");
  if (name == previous_fit)
    throw Error(fmt::format("{} always names the fit before the current one", name), "the name of a fit",
                "take another name");
  for (const Response& r : responses)
    if (session.store.fitted_id(r.name, name) != 0)
      throw Error(fmt::format("a fit of {} is kept as {} already", r.name, name), "the name of a fit",
                  fmt::format("take another name, or let it go first: renth fit --forget {}", name));
}

std::vector<Response> responses_of_fit(Session& session, const std::string& name,
                                       const std::vector<std::string>& asked) {
  std::vector<Response> out;
  for (const Response& r : chosen_responses(session.study, asked, false)) {
    if (session.store.fitted_id(r.name, name) != 0)
      out.push_back(r);
    else if (!asked.empty())
      throw Error(fmt::format("{} has no fit of the name {}", r.name, name), "study.db",
                  "renth fit --list shows those that are kept");
  }
  if (!out.empty() && !name.empty()) return out;
  std::vector<std::string> known;
  for (const NamedFit& f : list_fits(session).fits)
    if (std::find(known.begin(), known.end(), f.name) == known.end()) known.push_back(f.name);
  if (known.empty())
    throw Error(
        "unknown fit " + name, "study.db",
        "no fit has been kept yet: renth fit --as NAME keeps one, --current --as NAME the current one");
  refuse_unknown("fit", name, "study.db", known);
}

namespace {

NamedFitsResult only_of(NamedFitsResult all, const std::string& name,
                        const std::vector<Response>& responses) {
  std::erase_if(all.fits, [&](const NamedFit& f) {
    return f.name != name || std::none_of(responses.begin(), responses.end(),
                                          [&](const Response& r) { return r.name == f.response; });
  });
  return all;
}

}  // namespace

NamedFitsResult name_current_fits(Session& session, const std::string& name,
                                  const std::vector<std::string>& responses) {
  std::vector<Response> named;
  for (const Response& r : chosen_responses(session.study, responses, false)) {
    if (session.store.fitted_id(r.name) != 0)
      named.push_back(r);
    else if (!responses.empty())
      throw Error(r.name + " has not been fitted yet", "study.db", "renth fit --response " + r.name);
  }
  if (named.empty()) throw Error("no response has been fitted yet", "study.db", "renth fit --as " + name);
  check_free_fit_name(session, name, named);
  session.store.transaction([&] {
    for (const Response& r : named) session.store.name_fit(r.name, name, session.store.fitted_id(r.name));
  });
  return only_of(list_fits(session), name, named);
}

NamedFitsResult forget_fits(Session& session, const std::string& name,
                            const std::vector<std::string>& responses) {
  const std::vector<Response> named = responses_of_fit(session, name, responses);
  NamedFitsResult out = only_of(list_fits(session), name, named);
  session.store.transaction([&] {
    for (const Response& r : named) session.store.forget_fit(r.name, name);
  });
  return out;
}

FitResult return_to_fits(Session& session, const std::string& name, const std::vector<std::string>& responses,
                         double level) {
  FitResult out;
  out.level = level;
  std::vector<std::pair<std::string, std::int64_t>> found;
  for (const Response& r : responses_of_fit(session, name, responses)) {
    const auto stored = session.surrogate(r.name, name);
    if (stored->study_hash != study_hash(session.study, r))
      throw Error(fmt::format("the study has changed since {} was fitted to {}", name, r.name), "study.toml",
                  "renth fit --response " + r.name);
    ModelResult model = judge_surrogate(session, r, *stored, need_fitted_data(session, r, *stored), level);
    add_statistics(session, *stored, level, model);
    out.models.push_back(std::move(model));
    found.emplace_back(r.name, stored->id);
  }
  session.store.transaction([&] {
    for (const auto& [response, id] : found) session.store.make_current(response, id);
  });
  for (const Response& r : chosen_responses(session.study, responses, false)) {
    const bool returned =
        std::any_of(found.begin(), found.end(), [&](const auto& f) { return f.first == r.name; });
    if (returned)
      current_surrogate(session, r, out.notes);  // is it out of date?
    else
      add_note(out.notes, "not_returned",
               fmt::format("{} has no fit of this name and stays as it is", r.name));
  }
  return out;
}

}  // namespace renth
