#include <optional>
#include <renth/base/error.hpp>
#include <renth/figure/drawing.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/table/whole_file.hpp>

namespace renth {

std::vector<DrawnFigure> draw_all(Session& session, const DrawingOptions& options,
                                  const std::filesystem::path& folder, const std::string& ending) {
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error)
    throw Error("cannot make the folder: " + error.message(), folder.string(), "choose another place for -o",
                ErrorKind::machine);
  std::vector<std::string> responses = options.responses;
  if (responses.empty()) responses = session.study.response_names();
  std::vector<DrawnFigure> out;
  std::vector<std::optional<Gnuplot>> made;
  for (const FigureKind& kind : figure_kinds())
    for (const std::string& response : kind.of_one ? responses : std::vector<std::string>{""}) {
      DrawingOptions one = options;
      one.figure = kind.name;
      if (kind.of_one) one.responses = {response};
      out.push_back({kind.name, response, {}, ""});
      made.emplace_back();
      try {
        Notes own;
        made.back() = make_figure(session, one, own);
        out.back().file = folder / (kind.name + (response.empty() ? "" : "-" + response) + ending);
      } catch (const Error& e) {  // the study has none such
        out.back().why = e.problem();
      }
    }
  parallel_for(std::int64_t(out.size()), [&](std::int64_t i) {
    DrawnFigure& figure = out[std::size_t(i)];
    if (!made[std::size_t(i)]) return;
    std::string picture;
    try {
      picture = made[std::size_t(i)]->drawn(figure.file);
    } catch (const Error& e) {
      figure.file.clear();
      figure.why = e.problem();
      return;
    }
    write_whole_file(figure.file, picture, {"cannot write the figure"});
  });
  return out;
}

}  // namespace renth
