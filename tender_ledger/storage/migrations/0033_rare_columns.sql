-- Every count asks whether the study uses columns that few studies do: an index holds the reports that do, which are few or none.
CREATE INDEX use_report_currency ON use_report (study_id) WHERE currency <> 'unstated';
CREATE INDEX use_report_mixture ON use_report (study_id) WHERE mixture <> '' OR role <> 'main';
CREATE INDEX use_report_by_animal ON use_report (study_id) WHERE actor = 'animal';
