// What a call of the solver is given: its folder, its input files and its command line.
#pragma once
#include <filesystem>
#include <renth/study/study.hpp>
#include <string>
#include <vector>

namespace renth {

/// One start of the solver: a run, or with `per` one axis point of a run.
struct Call {
  std::int64_t run = 0;
  int point = -1;  ///< index on the axis of `per`; −1: the whole run
  auto operator<=>(const Call&) const = default;
};

/// The files of one call.
struct RunFolder {
  std::filesystem::path folder;  ///< study/runs/000001, or with `per` …/000001/point-03
  std::filesystem::path input, output;
  static RunFolder of(const Study& study, Call call);
};

/// A text with placeholders, read once and filled in often.
///
///   {{radius}}          a parameter, {{run}} the run's number, with `per` the axis by its name;
///                       numbers as the shortest text that reads back the same
///   {{radius:%.6e}}     the same through one conversion of printf: e f g (E F G), d i (whole
///                       numbers only), s
///   {{2 * radius:%8.3f}}, {{hull == 'steel' ? 1 : 2}}   any expression of parameters
class InputTemplate {
 public:
  /// \param file  its name, for messages. \throws Error  what is wrong, with its line.
  InputTemplate(const std::string& text, std::vector<Symbol> symbols, const std::string& file);
  /// \param numbers  a value for each symbol; a choice as its index. \throws Error  a result that is
  ///                 not finite, or not whole where the format wants that.
  std::string fill(const std::vector<double>& numbers) const;

 private:
  struct Piece {
    std::string literal, place, format;  ///< literal text, and then one of:
    int symbol = -1;                     ///< a bare name
    std::shared_ptr<const Expression> expression;
  };
  std::vector<Symbol> symbols_;
  std::vector<Piece> pieces_;
};

/// A file as it is put into a run's folder.
struct RenderedFile {
  std::string name, text;
};

/// Renders all runs of a study; templates are read once.
class InputRenderer {
 public:
  /// \throws Error  a template that is missing or wrong.
  explicit InputRenderer(const Study& study);

  /// The input files of a call, links not among them. \throws Error  a setting without a value.
  std::vector<RenderedFile> files(Call call, const Settings& settings) const;
  /// The command with {input}, {output}, {run}, {folder} and {study} filled in.
  std::vector<std::string> command(Call call) const;
  /// Makes the folder and writes `files` into it, and the links. \throws Error (machine)
  void prepare(Call call, const std::vector<RenderedFile>& files) const;

 private:
  std::vector<double> numbers(Call call, const Settings& settings) const;
  const Study& study_;
  std::vector<Symbol> symbols_;
  std::vector<InputTemplate> templates_;  ///< one an input that is a template, in order
};

}  // namespace renth
