// Still figures through gnuplot, in one house style.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

namespace renth {

/// Colours that stay apart for colour-blind eyes and in greyscale.
namespace colour {
inline constexpr const char* ink = "#22303c";
inline constexpr const char* quiet = "#8a949e";
inline constexpr const char* main = "#1c4f82";
inline constexpr const char* band = "#bcd0e4";
inline constexpr const char* accent = "#d3742a";
inline constexpr const char* grid = "#e4e8ec";
/// Of kinds of points and lines that stand side by side.
inline constexpr const char* of_kind[] = {main, accent, "#2f8f6b", "#8a4fa0", "#b3893a", "#5a6570"};
}  // namespace colour

/// A text as a gnuplot string literal, whatever is in it. Markup is off in all our terminals.
std::string quote(const std::string& text);

/// A script that is being written; `named` data blocks come before the commands that plot them.
class Gnuplot {
 public:
  Gnuplot& line(const std::string& command);
  /// Before all that was said so far.
  Gnuplot& first(const std::string& command);
  /// A data block $name; NaN becomes a missing value.
  Gnuplot& block(const std::string& name, const std::vector<std::vector<double>>& rows);
  /// A rows × columns matrix of 4-byte floats, for `plot … binary`; returns the expression that reads it.
  std::string image(const std::vector<float>& values, int columns, int rows, double x0, double dx, double y0,
                    double dy);

  /// The figure's bytes, as of a file that is called so. \throws Error  as render().
  std::string drawn(const std::filesystem::path& file, int width = 1280, int height = 800) const;
  /// Writes the figure, whole or not at all: SVG or PNG by the ending of `file`.
  /// \throws Error  another ending; gnuplot is missing or fails.
  void render(const std::filesystem::path& file, int width = 1280, int height = 800) const;

 private:
  std::string blocks_, commands_;
  std::vector<std::vector<float>> images_;
};

}  // namespace renth
