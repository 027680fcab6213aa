#include <fmt/format.h>

#include <cctype>
#include <filesystem>
#include <renth/base/text.hpp>
#include <renth/export/c_source.hpp>
#include <renth/export/fmu.hpp>
#include <renth/export/tape_model.hpp>
#include <renth/report/escape.hpp>
#include <renth/solver/digest.hpp>
#include <renth/table/module.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/table/zip_archive.hpp>
#include <renth/version.hpp>
#include <set>

namespace renth {
namespace {

/// Outputs that are worked out together.
struct Group {
  TapeProgram program;
  int first = 0;
};

std::string attribute(const std::string& name, const std::string& value) {
  return value.empty() ? ""
                       : fmt::format(" {}=\"{}\"", name, escaped_html(without_controls(valid_utf8(value))));
}

/// Names of variables, none twice.
class Names {
 public:
  explicit Names(const Problem& problem) {
    for (const Parameter& p : problem.space.parameters()) taken_.insert(p.name);
    for (const Response& r : problem.responses) taken_.insert(r.name);
  }
  std::string another(std::string name) {
    while (!taken_.insert(name).second) name += '_';
    return name;
  }

 private:
  std::set<std::string> taken_;
};

/// The variables of a model description and what is told of them.
class Description {
 public:
  explicit Description(const Problem& problem) : problem_(problem), names_(problem) {}

  void inputs() {
    for (Eigen::Index j = 0; j < problem_.space.size(); ++j) {
      const Parameter& p = problem_.space[j];
      if (p.is_choice()) {
        const std::string type = names_.another(p.name + "_choice");
        types_ += fmt::format("    <SimpleType name=\"{}\">\n      <Enumeration>\n", type);
        for (std::size_t c = 0; c < p.choices.size(); ++c)
          types_ += fmt::format("        <Item{} value=\"{}\"/>\n", attribute("name", p.choices[c]), c + 1);
        types_ += "      </Enumeration>\n    </SimpleType>\n";
        variable(p.name, p.label, "input", "discrete",
                 fmt::format("<Enumeration declaredType=\"{}\" min=\"1\" max=\"{}\" start=\"{}\"/>", type,
                             p.choices.size(), int(p.nominal) + 1));
      } else {
        variable(p.name, p.label, "input", "continuous",
                 fmt::format("<Real{} min=\"{}\" max=\"{}\" start=\"{}\"/>", unit(p.unit), p.low, p.high,
                             p.nominal));
      }
    }
  }

  void response(const Response& r) {
    for (const bool deviation : {false, true}) {
      const std::string name = deviation ? names_.another(r.name + "_sd") : r.name;
      const std::string words = (deviation ? "standard deviation of the mean of " : "") + r.title();
      const Axis* axis = problem_.axis_of(r);
      for (Eigen::Index k = 0; k < problem_.outputs(r); ++k)
        variable(
            axis ? fmt::format("{}[{}]", name, k + 1) : name,
            axis ? fmt::format("{} at {} {} {}", words, axis->name, axis->points[std::size_t(k)], axis->unit)
                 : words,
            "output", "continuous", fmt::format("<Real{}/>", unit(r.unit)));
    }
  }

  void inside() {
    variable(names_.another("inside"), "within the region that the runs cover", "output", "discrete",
             "<Boolean/>");
  }

  std::string text(const std::string& identifier, const std::string& guid, const ModelAbout& about,
                   double runs) const {
    std::string words =
        fmt::format("Surrogates of {}; seed {}; they rest on {} runs.", problem_.name, about.seed, runs);
    for (const auto& [response, worth] : about.worth) words += fmt::format(" {}: {}.", response, worth);
    std::string outputs;
    for (int k = input_count_ + 1; k <= count_; ++k)
      outputs += fmt::format("      <Unknown index=\"{}\"/>\n", k);
    const std::string sources = "<SourceFiles>\n      <File name=\"fmi2.c\"/>\n    </SourceFiles>";
    return fmt::format(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
        "<fmiModelDescription fmiVersion=\"2.0\"{} guid=\"{}\"{} generationTool=\"renth {}\" "
        "variableNamingConvention=\"structured\" numberOfEventIndicators=\"0\">\n"
        "  <ModelExchange modelIdentifier=\"{}\" completedIntegratorStepNotNeeded=\"true\" "
        "canGetAndSetFMUstate=\"true\" canSerializeFMUstate=\"true\">\n    {}\n  </ModelExchange>\n"
        "  <CoSimulation modelIdentifier=\"{}\" canHandleVariableCommunicationStepSize=\"true\" "
        "canGetAndSetFMUstate=\"true\" canSerializeFMUstate=\"true\">\n    {}\n  </CoSimulation>\n"
        "{}{}  <DefaultExperiment startTime=\"0\" stopTime=\"1\" stepSize=\"1\"/>\n"
        "  <ModelVariables>\n{}  </ModelVariables>\n"
        "  <ModelStructure>\n    <Outputs>\n{}    </Outputs>\n    <InitialUnknowns>\n{}    "
        "</InitialUnknowns>\n"
        "  </ModelStructure>\n</fmiModelDescription>\n",
        attribute("modelName", problem_.name.empty() ? identifier : problem_.name), guid,
        attribute("description", words), version, identifier, sources, identifier, sources,
        section("UnitDefinitions", units_), section("TypeDefinitions", types_), variables_, outputs, outputs);
  }

 private:
  static std::string section(const std::string& name, const std::string& content) {
    return content.empty() ? "" : fmt::format("  <{0}>\n{1}  </{0}>\n", name, content);
  }
  std::string unit(const std::string& name) {
    if (name.empty()) return "";
    if (known_units_.insert(name).second) units_ += fmt::format("    <Unit{}/>\n", attribute("name", name));
    return attribute("unit", name);
  }
  void variable(const std::string& name, const std::string& words, const std::string& causality,
                const std::string& variability, const std::string& type) {
    if (causality == "input") ++input_count_;
    variables_ += fmt::format(
        "    <!-- {} -->\n    <ScalarVariable{} valueReference=\"{}\"{} causality=\"{}\" "
        "variability=\"{}\">{}"
        "</ScalarVariable>\n",
        count_ + 1, attribute("name", name), count_, attribute("description", words), causality, variability,
        type);
    ++count_;
  }

  const Problem& problem_;
  Names names_;
  std::string units_, types_, variables_;
  std::set<std::string> known_units_;
  int count_ = 0, input_count_ = 0;
};

template <class T>
void append(std::string& to, const T* from, std::size_t count) {
  to.append(reinterpret_cast<const char*>(from), count * sizeof(T));
}

/// model.bin, which fmi2.c reads, its guid still empty.
std::string data_file(const Model& model, const std::vector<Group>& groups, const Tape& tape) {
  const int inputs = int(model.problem.space.size());
  std::vector<int> group_numbers, code;
  int outputs = 0;
  for (const Group& g : groups) {
    group_numbers.insert(group_numbers.end(),
                         {g.first, g.program.outputs, int(code.size()), g.program.steps, g.program.work});
    code.insert(code.end(), g.program.code.begin(), g.program.code.end());
    outputs += g.program.outputs;
  }
  std::string out = "renthfm1";
  out.resize(72, '\0');
  const int head[] = {inputs, outputs, int(groups.size()), int(code.size()), int(tape.values().size())};
  append(out, head, 5);
  append(out, group_numbers.data(), group_numbers.size());
  append(out, code.data(), code.size());
  out.resize((out.size() + 7) / 8 * 8, '\0');
  append(out, tape.values().data(), tape.values().size());
  const Eigen::VectorXd start = model.problem.space.nominal();
  append(out, start.data(), std::size_t(start.size()));
  return out;
}

/// A name in C from that of a file.
std::string identifier_of(const std::string& file) {
  std::string out = std::filesystem::path(file).stem().string();
  for (char& c : out)
    if (!std::isalnum(static_cast<unsigned char>(c)) || static_cast<unsigned char>(c) > 127) c = '_';
  if (out.empty() || std::isdigit(static_cast<unsigned char>(out[0]))) out = "model_" + out;
  return out;
}

}  // namespace

std::string fmu_bytes(const Model& model, const ModelAbout& about, const std::string& file) {
  Tape tape;
  const ModelOnTape on_tape = model_on_tape(tape, model);
  Description description(model.problem);
  description.inputs();
  std::vector<Group> groups;
  int outputs = 0;
  const auto group = [&](const TapeVector& v) {
    groups.push_back({program_of(tape, {v}), outputs});
    outputs += v.width();
  };
  for (const ModelOnTape::OfResponse& r : on_tape.responses) {
    description.response(model.problem.responses[std::size_t(r.response)]);
    group(r.mean);
    group(r.sd);
  }
  description.inside();
  group(on_tape.inside);

  const std::string identifier = identifier_of(file);
  const double run_count = model.coverage.parts().runs;
  std::string data = data_file(model, groups, tape);
  const std::string hash = sha256(data + description.text(identifier, "", about, run_count));
  const std::string guid = fmt::format("{{{}-{}-{}-{}-{}}}", hash.substr(0, 8), hash.substr(8, 4),
                                       hash.substr(12, 4), hash.substr(16, 4), hash.substr(20, 12));
  data.replace(std::string_view("renthfm1").size(), guid.size(), guid);
  return zip_archive({{"modelDescription.xml", description.text(identifier, guid, about, run_count)},
                      {"binaries/linux64/" + identifier + ".so",
                       read_whole_file(module_file("renth-fmu.so", "export c"), "", ""), true},
                      {"resources/model.bin", data},
                      {"sources/fmi2.c", std::string(fmi2_source())},
                      {"sources/evaluate.c", std::string(evaluate_source())}});
}

}  // namespace renth
