#include <fmt/format.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <renth/figure/gnuplot.hpp>
#include <renth/solver/tool.hpp>
#include <renth/table/scratch_folder.hpp>
#include <renth/table/whole_file.hpp>
#include <sstream>

namespace renth {
namespace {

std::string terminal_for(const std::filesystem::path& file, int width, int height) {
  const std::string ending = file.extension().string();
  if (ending == ".png")
    return fmt::format(
        "set terminal pngcairo noenhanced size {},{} font 'Liberation Sans,13' linewidth 1.4 background rgb "
        "'white'\nps = 1.0\n",
        width, height);
  if (ending == ".svg")
    return fmt::format(
        "set terminal svg noenhanced size {},{} dynamic font 'Liberation Sans,Arial,sans-serif,16' "
        "background rgb 'white' linewidth 1.4\nps = 0.6\n",
        width, height);
  throw Error("a figure cannot be written as \"" + ending + "\"", file.string(),
              "name a file that ends in .svg or .png");
}

/// Thin axes left and below, a light grid behind, no box.
std::string house_style() {
  return fmt::format(
      "set encoding utf8\nset border 3 lc rgb '{0}' lw 0.8\nset tics nomirror out scale 0.6 tc rgb '{0}'\n"
      "set grid back lt 1 lw 0.6 lc rgb '{1}'\nset title tc rgb '{0}'\nset xlabel tc rgb '{0}'\nset ylabel "
      "tc rgb '{0}'\nset cblabel tc rgb '{0}'\nset key noautotitle tc rgb '{0}' samplen 1.5 spacing 1.15\n"
      "set palette defined (0 '#152a4a', 0.25 '#1f5f86', 0.5 '#4b9a98', 0.75 '#a4cfa3', 1 '#f6f0c8')\nset "
      "style fill solid 1 noborder\n",
      colour::ink, colour::grid);
}

ToolAnswer run_gnuplot(const std::filesystem::path& folder, const std::filesystem::path& file) {
  try {
    return ask_tool({"gnuplot", "script"}, file.string(), -1, folder.string());
  } catch (const Error&) {
    throw Error("gnuplot cannot be started", file.string(),
                "install it: apt-get install gnuplot-nox fonts-liberation", ErrorKind::machine);
  }
}

/// What gnuplot said of why it failed: its last words, on one line.
std::string said(const ToolAnswer& answer) {
  std::string out;
  std::istringstream lines(answer.err);
  for (std::string line; std::getline(lines, line);) {
    const std::size_t first = line.find_first_not_of(" \t^");
    if (first == std::string::npos) continue;
    // It repeats the command before what is wrong with it.
    if (line.rfind("plot ", 0) == 0 || line.rfind("splot ", 0) == 0) continue;
    if (line.find("arning: ") != std::string::npos) continue;
    out += (out.empty() ? "" : " | ") + line.substr(first);
  }
  constexpr std::size_t most = 400;
  if (out.size() > most) out = "…" + out.substr(out.size() - most);
  out = valid_utf8(out);
  return out.empty() ? fmt::format("it said nothing and ended with status {}", answer.status) : out;
}

}  // namespace

std::string quote(const std::string& text) {
  std::string out = "'";
  for (const char c : text) {
    if (c == '\'')
      out += "''";
    else
      out += static_cast<unsigned char>(c) < 32 ? ' ' : c;
  }
  return out + "'";
}

Gnuplot& Gnuplot::line(const std::string& command) {
  commands_ += command + "\n";
  return *this;
}

Gnuplot& Gnuplot::first(const std::string& command) {
  commands_ = command + "\n" + commands_;
  return *this;
}

Gnuplot& Gnuplot::block(const std::string& name, const std::vector<std::vector<double>>& rows) {
  blocks_ += "$" + name + " << EOD\n";
  for (const auto& row : rows) {
    for (const double v : row) blocks_ += std::isfinite(v) ? fmt::format("{} ", v) : "NaN ";
    blocks_ += "\n";
  }
  blocks_ += "EOD\n";
  return *this;
}

std::string Gnuplot::image(const std::vector<float>& values, int columns, int rows, double x0, double dx,
                           double y0, double dy) {
  images_.push_back(values);
  return fmt::format("'image{}' binary array=({},{}) format='%float' origin=({},{}) dx={} dy={}",
                     images_.size() - 1, columns, rows, x0, y0, dx, dy);
}

std::string Gnuplot::drawn(const std::filesystem::path& file, int width, int height) const {
  const std::string terminal = terminal_for(file, width, height);
  const ScratchFolder scratch;
  const std::filesystem::path& folder = scratch.path();
  write_whole_file(folder / "script", terminal + house_style() + "set output 'figure'\n" + blocks_ +
                                          commands_ + "unset output\n");
  for (std::size_t i = 0; i < images_.size(); ++i)
    write_whole_file(folder / fmt::format("image{}", i),
                     std::string_view(reinterpret_cast<const char*>(images_[i].data()),
                                      images_[i].size() * sizeof(float)));
  const ToolAnswer answer = run_gnuplot(folder, file);
  if (answer.status != 0)
    throw Error(fmt::format("gnuplot could not draw it ({})", said(answer)), file.string(),
                "please report it with the study", ErrorKind::machine);
  return read_whole_file(folder / "figure", "gnuplot drew nothing", "please report it");
}

void Gnuplot::render(const std::filesystem::path& file, int width, int height) const {
  write_whole_file(file, drawn(file, width, height), {"cannot write the figure"});
}

}  // namespace renth
