#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>
#include <renth/base/text.hpp>
#include <renth/solver/render.hpp>
#include <renth/table/whole_file.hpp>

namespace renth {
namespace {

std::string trim(const std::string& text) {
  const auto first = text.find_first_not_of(" \t\r\n");
  return first == std::string::npos ? "" : text.substr(first, text.find_last_not_of(" \t\r\n") - first + 1);
}

template <class T>
std::string formatted(const std::string& format, T value) {
  const int length = std::snprintf(nullptr, 0, format.c_str(), value);
  std::string text(static_cast<std::size_t>(std::max(length, 0)) + 1, '\0');
  std::snprintf(text.data(), text.size(), format.c_str(), value);
  text.pop_back();
  return text;
}

/// A conversion of printf, as fields of fixed width need it: %, flags, a width up to 999, a precision up to
/// 99 and one of e E f F g G d i s.
bool is_conversion(std::string_view text) {
  const auto skip = [&](std::string_view characters, std::size_t most) {
    const std::size_t n = std::min({text.find_first_not_of(characters), text.size(), most});
    text.remove_prefix(n);
    return n;
  };
  constexpr std::string_view digits = "0123456789";
  if (skip("%", 1) != 1) return false;
  skip("-+ #0", 5);
  skip(digits, 3);
  if (skip(".", 1) == 1 && skip(digits, 2) == 0) return false;
  return skip("eEfFgGdis", 1) == 1 && text.empty();
}

[[noreturn]] void cannot_write(const std::filesystem::path& file) {
  throw Error(fmt::format("cannot write the input of a run ({})", std::strerror(errno)), file.string(),
              "look at the disk and its permissions, then run again; nothing is lost", ErrorKind::machine);
}

}  // namespace

InputTemplate::InputTemplate(const std::string& text, std::vector<Symbol> symbols, const std::string& file)
    : symbols_(std::move(symbols)) {
  std::string all_names;
  for (const Symbol& s : symbols_)
    if (!s.name.empty()) all_names += (all_names.empty() ? "" : ", ") + s.name;
  for (std::size_t at = 0;;) {
    Piece piece;
    const std::size_t open = text.find("{{", at);
    piece.literal = text.substr(at, open == std::string::npos ? open : open - at);
    if (open == std::string::npos) {
      pieces_.push_back(std::move(piece));
      return;
    }
    const auto line = std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(open), '\n') + 1;
    piece.place = fmt::format("{}:{}", file, line);
    const std::size_t close = text.find("}}", open);
    if (close == std::string::npos || text.find('\n', open) < close)
      throw Error("{{ without }}", piece.place, "close it on the same line");
    std::string word = text.substr(open + 2, close - open - 2);
    if (const std::size_t colon = word.rfind(":%"); colon != std::string::npos) {
      piece.format = trim(word.substr(colon + 1));
      word.resize(colon);
      if (!is_conversion(piece.format))
        throw Error(fmt::format("\"{}\" is not a format", shortened(piece.format, 40)), piece.place,
                    "write one such as %.6e, %8.3f, %d or %s");
    }
    word = trim(word);
    for (std::size_t i = 0; i < symbols_.size(); ++i)
      if (!word.empty() && symbols_[i].name == word) piece.symbol = static_cast<int>(i);
    if (piece.symbol < 0) {
      if (std::all_of(word.begin(), word.end(), [](unsigned char c) { return std::isalnum(c) || c == '_'; }))
        throw Error(fmt::format("unknown parameter {}", word.empty() ? "\"\"" : shortened(word, 60)),
                    piece.place, "use " + all_names + ", or an expression of them");
      try {
        piece.expression = std::make_shared<const Expression>(word, symbols_, piece.place);
      } catch (const Error& e) {
        throw Error(fmt::format("{{{{{}}}}}: {} ({})", shortened(word, 60), e.problem(), e.place()),
                    piece.place, e.remedy());
      }
      if (piece.expression->is_condition())
        throw Error(fmt::format("{{{{{}}}}} is a condition and no number", shortened(word, 60)), piece.place,
                    "write  condition ? 1 : 0");
    }
    const bool is_text = piece.symbol >= 0 && symbols_[piece.symbol].kind == Symbol::Kind::choice;
    if (!piece.format.empty() && is_text != (piece.format.back() == 's'))
      throw Error(fmt::format("the format {} does not suit {}", piece.format, word), piece.place,
                  is_text ? "use %s for a choice" : "use e, f, g or d for a number");
    pieces_.push_back(std::move(piece));
    at = close + 2;
  }
}

std::string InputTemplate::fill(const std::vector<double>& numbers) const {
  std::string out;
  for (const Piece& piece : pieces_) {
    out += piece.literal;
    if (piece.symbol < 0 && !piece.expression) continue;
    if (piece.symbol >= 0 && symbols_[piece.symbol].kind == Symbol::Kind::choice) {
      const std::string& word =
          symbols_[piece.symbol].choices.at(static_cast<std::size_t>(numbers[piece.symbol]));
      out += piece.format.empty() ? word : formatted(piece.format, word.c_str());
      continue;
    }
    const double value =
        piece.symbol >= 0 ? numbers[piece.symbol] : piece.expression->value({numbers.data(), nullptr});
    if (piece.format.empty()) {
      out += fmt::format("{}", value);
    } else if (piece.format.back() == 'd' || piece.format.back() == 'i') {
      if (value != std::floor(value) || std::abs(value) > 0x1p53)
        throw Error(fmt::format("{} is not a whole number, as {} wants", value, piece.format), piece.place,
                    "use %g, or round() it");
      out +=
          formatted(piece.format.substr(0, piece.format.size() - 1) + "lld", static_cast<long long>(value));
    } else {
      out += formatted(piece.format, value);
    }
  }
  return out;
}

RunFolder RunFolder::of(const Study& study, Call call) {
  std::string folder = fmt::format("{}/runs/{:06}", study.absolute_folder, call.run);
  if (call.point >= 0) folder += fmt::format("/point-{:02}", call.point + 1);
  return {folder, folder + '/' + study.solver.inputs.front().to, folder + '/' + study.solver.output_file};
}

InputRenderer::InputRenderer(const Study& study) : study_(study), symbols_(study.parameter_symbols()) {
  symbols_.push_back({"run", Symbol::Kind::number, {}, {}});
  if (study.solver.per >= 0)
    symbols_.push_back({study.axes[study.solver.per].name, Symbol::Kind::number, {}, {}});
  for (const InputFile& input : study.solver.inputs)
    if (!input.link && !input.from.empty())
      templates_.emplace_back(
          read_whole_file((study.folder / input.from).string(), "cannot read the input template",
                          "put it back, or correct input in [solver]"),
          symbols_, input.from);
}

std::vector<double> InputRenderer::numbers(Call call, const Settings& settings) const {
  std::vector<double> out;
  const std::size_t parameters = symbols_.size() - 1 - (study_.solver.per >= 0);
  for (std::size_t i = 0; i < parameters; ++i) {
    const Symbol& s = symbols_[i];
    const Value* value = nullptr;
    if (const auto own = settings.find(s.name); own != settings.end())
      value = &own->second;
    else if (const auto old = study_.before.find(s.name); old != study_.before.end())
      value = &old->second;
    else
      for (const FixedParameter& f : study_.fixed)
        if (f.name == s.name) value = &f.value;
    if (!value)
      throw Error(fmt::format("run {} has no value for {}", call.run, s.name), "study.toml",
                  fmt::format("say what it was: before = … in [[parameter]] {}", s.name));
    if (const auto* number = std::get_if<double>(value)) {
      out.push_back(*number);
      continue;
    }
    const auto found = std::find(s.choices.begin(), s.choices.end(), std::get<std::string>(*value));
    if (found == s.choices.end())
      throw Error(fmt::format("run {} has \"{}\" for {}, which is not a choice now", call.run,
                              std::get<std::string>(*value), s.name),
                  "study.toml", "put the choice back, or discard the run's batch");
    out.push_back(static_cast<double>(found - s.choices.begin()));
  }
  out.push_back(static_cast<double>(call.run));
  if (study_.solver.per >= 0)
    out.push_back(call.point >= 0 ? study_.axes[study_.solver.per].points.at(call.point) : NAN);
  return out;
}

std::vector<RenderedFile> InputRenderer::files(Call call, const Settings& settings) const {
  std::vector<RenderedFile> out;
  const std::vector<double> values = numbers(call, settings);
  auto next = templates_.begin();
  for (const InputFile& input : study_.solver.inputs) {
    if (input.link) continue;
    if (!input.from.empty()) {
      out.push_back({input.to, (next++)->fill(values)});
      continue;
    }
    nlohmann::json document = {{"run", call.run}};
    for (const auto& [key, value] : settings)
      std::visit([&, k = key](const auto& v) { document[k] = v; }, value);
    if (call.point >= 0) document[symbols_.back().name] = values.back();
    out.push_back({input.to, document.dump(1) + "\n"});
  }
  return out;
}

std::vector<std::string> InputRenderer::command(Call call) const {
  const RunFolder files = RunFolder::of(study_, call);
  const std::map<std::string_view, std::string> values = {{"{input}", files.input.string()},
                                                          {"{output}", files.output.string()},
                                                          {"{run}", std::to_string(call.run)},
                                                          {"{folder}", files.folder.string()},
                                                          {"{study}", study_.absolute_folder}};
  std::vector<std::string> out;
  for (const std::string& word : study_.solver.command) {
    // Once from left to right: what is put in may itself hold braces.
    std::string filled;
    std::size_t taken = 0;
    each_placeholder(word, [&](std::size_t at, std::size_t length) {
      filled += word.substr(taken, at - taken) + values.at(std::string_view(word).substr(at, length));
      taken = at + length;
    });
    out.push_back(filled + word.substr(taken));
  }
  return out;
}

void InputRenderer::prepare(Call call, const std::vector<RenderedFile>& files) const {
  const std::filesystem::path folder = RunFolder::of(study_, call).folder;
  if (mkdir(folder.c_str(), 0777) != 0 && errno != EEXIST) {
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error) {
      errno = error.value();
      cannot_write(folder);
    }
  }
  for (const RenderedFile& file : files) {
    const std::filesystem::path path = folder / file.name;
    const int fd = open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (fd < 0) cannot_write(path);
    std::string_view left = file.text;
    while (!left.empty()) {
      const ssize_t n = write(fd, left.data(), left.size());
      if (n <= 0) {
        const int why = errno;
        close(fd);
        errno = why;
        cannot_write(path);
      }
      left.remove_prefix(static_cast<std::size_t>(n));
    }
    if (close(fd) != 0) cannot_write(path);
  }
  for (const InputFile& input : study_.solver.inputs)
    if (input.link) {
      const std::filesystem::path to = folder / input.to,
                                  from = std::filesystem::path(study_.absolute_folder) / input.from;
      if (symlink(from.c_str(), to.c_str()) != 0 && errno != EEXIST) cannot_write(to);
    }
}

}  // namespace renth
