// What the checksum of each kind of row is of, as SQL; see checksum.hpp. Literals, so that statements are
// too.
#pragma once

#define RENTH_BATCH_VALUES \
  "batch.id, batch.name, batch.use, batch.method, batch.options, batch.seed, batch.next"
#define RENTH_RUN_VALUES \
  "run.id, run.batch, run.origin, run.block, run.settings, run.status, run.set_aside, run.maker"
#define RENTH_OUTPUT_VALUES "output.run, output.response, output.value"
#define RENTH_ASIDE_VALUES "output_set_aside.run, output_set_aside.response, output_set_aside.why"
#define RENTH_SURROGATE_VALUES                                                                        \
  "surrogate.id, surrogate.response, surrogate.kind, surrogate.options, surrogate.data_hash, "        \
  "surrogate.study_hash, surrogate.tried, surrogate.why, surrogate.archive_kind, surrogate.version, " \
  "surrogate.bytes, surrogate.runs, surrogate.folds, surrogate.predicted, surrogate.errors"
#define RENTH_FOLD_VALUES \
  "fold_model.surrogate, fold_model.fold, fold_model.archive_kind, fold_model.version, fold_model.bytes"
#define RENTH_PROPOSAL_VALUES \
  "proposed.seek, proposed.place, proposed.scenario, proposed.rank, proposed.settings"
#define RENTH_MARK_VALUES "mark.name, mark.settings"
#define RENTH_WINDOW_VALUES "operating_window.name, operating_window.document"
#define RENTH_WORKED_VALUES "worked_out.what, worked_out.of, worked_out.state, worked_out.bytes"
#define RENTH_FIT_NAME_VALUES "fit_name.response, fit_name.name, fit_name.surrogate"
#define RENTH_RESULT_VALUES \
  "result.verb, result.variant, result.options, result.seed, result.state, result.document"

#define RENTH_SOUND_BATCH "renth_sound('a batch', batch.checksum, " RENTH_BATCH_VALUES ")"
#define RENTH_SOUND_RUN "renth_sound('a run', run.checksum, " RENTH_RUN_VALUES ")"
#define RENTH_SOUND_OUTPUT "renth_sound('what a run gave', output.checksum, " RENTH_OUTPUT_VALUES ")"
#define RENTH_SOUND_ASIDE \
  "renth_sound('what is set aside', output_set_aside.checksum, " RENTH_ASIDE_VALUES ")"
#define RENTH_SOUND_SURROGATE "renth_sound('a surrogate', surrogate.checksum, " RENTH_SURROGATE_VALUES ")"
#define RENTH_SOUND_FOLD "renth_sound('a surrogate', fold_model.checksum, " RENTH_FOLD_VALUES ")"
#define RENTH_SOUND_FIT_NAME "renth_sound('the name of a fit', fit_name.checksum, " RENTH_FIT_NAME_VALUES ")"
#define RENTH_SOUND_PROPOSAL "renth_sound('a proposal', proposed.checksum, " RENTH_PROPOSAL_VALUES ")"
#define RENTH_SOUND_MARK "renth_sound('a mark', mark.checksum, " RENTH_MARK_VALUES ")"
#define RENTH_SOUND_WINDOW \
  "renth_sound('an operating window', operating_window.checksum, " RENTH_WINDOW_VALUES ")"
#define RENTH_SOUND_RESULT "renth_sound('a result', result.checksum, " RENTH_RESULT_VALUES ")"
