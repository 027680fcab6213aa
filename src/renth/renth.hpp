// All of the library: plan, fit, judge, rank, search, look at production; and, with renth::study, studies on
// disk. A program that only predicts may include <renth/predict/model_file.hpp> and
// <renth/predict/predictor.hpp> alone.
#pragma once
#include <renth/adaptive/acquire.hpp>
#include <renth/base/error.hpp>
#include <renth/expression/expression.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/assess.hpp>
#include <renth/plan/extend.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/plan/plan.hpp>
#include <renth/predict/model.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/problem/problem.hpp>
#include <renth/quality/anova.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/quality/quality.hpp>
#include <renth/quality/regression_report.hpp>
#include <renth/search/canonical.hpp>
#include <renth/search/seek.hpp>
#include <renth/search/sought.hpp>
#include <renth/search/window.hpp>
#include <renth/selection/choose.hpp>
#include <renth/selection/fit_model.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/space/region.hpp>
#include <renth/space/scatter.hpp>
#include <renth/space/space.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <renth/tolerance/tolerance.hpp>
#ifdef RENTH_WITH_STUDY  // renth::study defines it
#include <renth/export/forms.hpp>
#include <renth/store/session.hpp>
#include <renth/study/study.hpp>
#include <renth/workflow/confirming.hpp>
#include <renth/workflow/exporting_model.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/predicting.hpp>
#include <renth/workflow/ranking.hpp>
#include <renth/workflow/running.hpp>
#include <renth/workflow/seeking.hpp>
#include <renth/workflow/tolerancing.hpp>
#include <renth/workflow/trusting.hpp>
#include <renth/workflow/windowing.hpp>
#endif
#include <renth/version.hpp>
