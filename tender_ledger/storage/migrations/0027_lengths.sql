-- How long a text may be, in characters: the lengths of core/limits.py. Rows from before that are longer stay as they are.
ALTER TABLE act
    ADD CONSTRAINT length_of_operation CHECK (char_length(operation) <= 500) NOT VALID;
ALTER TABLE caution
    ADD CONSTRAINT length_of_taxon CHECK (char_length(taxon) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_kind CHECK (char_length(kind) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_harm CHECK (char_length(harm) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_source CHECK (char_length(source) <= 500) NOT VALID;
ALTER TABLE change
    ADD CONSTRAINT length_of_entity CHECK (char_length(entity) <= 500) NOT VALID;
ALTER TABLE checklist
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_version CHECK (char_length(version) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_sha256 CHECK (char_length(sha256) <= 500) NOT VALID;
ALTER TABLE choice_of_holders
    ADD CONSTRAINT length_of_way CHECK (char_length(way) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID;
ALTER TABLE community
    ADD CONSTRAINT length_of_code CHECK (char_length(code) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_place CHECK (char_length(place) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_protocol CHECK (char_length(protocol) <= 20000) NOT VALID;
ALTER TABLE community_restriction
    ADD CONSTRAINT length_of_refuses CHECK (char_length(refuses) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_reason CHECK (char_length(reason) <= 20000) NOT VALID;
ALTER TABLE computation
    ADD CONSTRAINT length_of_digest CHECK (char_length(digest) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_state CHECK (char_length(state) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_told CHECK (char_length(told) <= 500) NOT VALID;
ALTER TABLE consent
    ADD CONSTRAINT length_of_form CHECK (char_length(form) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_withdrawal CHECK (char_length(withdrawal) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_audience CHECK (char_length(audience) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_archive CHECK (char_length(archive) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_reuse CHECK (char_length(reuse) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_after_death CHECK (char_length(after_death) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_minors CHECK (char_length(minors) <= 500) NOT VALID;
ALTER TABLE consent_limit
    ADD CONSTRAINT length_of_refuses CHECK (char_length(refuses) <= 500) NOT VALID;
ALTER TABLE counter
    ADD CONSTRAINT length_of_kind CHECK (char_length(kind) <= 500) NOT VALID;
ALTER TABLE determination
    ADD CONSTRAINT length_of_qualifier CHECK (char_length(qualifier) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_basis CHECK (char_length(basis) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_confidence CHECK (char_length(confidence) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_determiner CHECK (char_length(determiner) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_remarks CHECK (char_length(remarks) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_verbatim CHECK (char_length(verbatim) <= 20000) NOT VALID;
ALTER TABLE dialect
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID;
ALTER TABLE disclosure
    ADD CONSTRAINT length_of_reason CHECK (char_length(reason) <= 20000) NOT VALID;
ALTER TABLE dispute
    ADD CONSTRAINT length_of_note CHECK (char_length(note) <= 20000) NOT VALID;
ALTER TABLE draft
    ADD CONSTRAINT length_of_place CHECK (char_length(place) <= 500) NOT VALID;
ALTER TABLE encounter
    ADD CONSTRAINT length_of_kind CHECK (char_length(kind) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_title CHECK (char_length(title) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_interpreter CHECK (char_length(interpreter) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_came_as CHECK (char_length(came_as) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_place CHECK (char_length(place) <= 500) NOT VALID;
ALTER TABLE encounter_informant
    ADD CONSTRAINT length_of_part CHECK (char_length(part) <= 500) NOT VALID;
ALTER TABLE feature
    ADD CONSTRAINT length_of_character CHECK (char_length(character) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_unit CHECK (char_length(unit) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID;
ALTER TABLE flora
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_cited CHECK (char_length(cited) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_families CHECK (char_length(families) <= 200000) NOT VALID;
ALTER TABLE free_list_item
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID;
ALTER TABLE frozen_reckoning
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_software CHECK (char_length(software) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_fingerprint CHECK (char_length(fingerprint) <= 500) NOT VALID;
ALTER TABLE holder
    ADD CONSTRAINT length_of_code CHECK (char_length(code) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_gender CHECK (char_length(gender) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_chosen CHECK (char_length(chosen) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_credit CHECK (char_length(credit) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_pseudonym CHECK (char_length(pseudonym) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_learned_from CHECK (char_length(learned_from) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_occupation CHECK (char_length(occupation) <= 500) NOT VALID;
ALTER TABLE holder_identity
    ADD CONSTRAINT length_of_key_id CHECK (char_length(key_id) <= 500) NOT VALID;
ALTER TABLE import_batch
    ADD CONSTRAINT length_of_file_sha256 CHECK (char_length(file_sha256) <= 500) NOT VALID;
ALTER TABLE import_upload
    ADD CONSTRAINT length_of_state CHECK (char_length(state) <= 500) NOT VALID;
ALTER TABLE invitation
    ADD CONSTRAINT length_of_role CHECK (char_length(role) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_meant_for CHECK (char_length(meant_for) <= 500) NOT VALID;
ALTER TABLE kept_answer
    ADD CONSTRAINT length_of_digest CHECK (char_length(digest) <= 500) NOT VALID;
ALTER TABLE kept_result
    ADD CONSTRAINT length_of_digest CHECK (char_length(digest) <= 500) NOT VALID;
ALTER TABLE language
    ADD CONSTRAINT length_of_code CHECK (char_length(code) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID;
ALTER TABLE local_name
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_name_fold CHECK (char_length(name_fold) <= 2000) NOT VALID,
    ADD CONSTRAINT length_of_gloss CHECK (char_length(gloss) <= 500) NOT VALID;
ALTER TABLE membership
    ADD CONSTRAINT length_of_role CHECK (char_length(role) <= 500) NOT VALID;
ALTER TABLE permit
    ADD CONSTRAINT length_of_kind CHECK (char_length(kind) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_given_by CHECK (char_length(given_by) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_reference CHECK (char_length(reference) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_conditions CHECK (char_length(conditions) <= 20000) NOT VALID;
ALTER TABLE person
    ADD CONSTRAINT length_of_email CHECK (char_length(email) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_email_fold CHECK (char_length(email_fold) <= 2000) NOT VALID,
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_password_hash CHECK (char_length(password_hash) <= 500) NOT VALID;
ALTER TABLE person_session
    ADD CONSTRAINT length_of_browser CHECK (char_length(browser) <= 500) NOT VALID;
ALTER TABLE picture
    ADD CONSTRAINT length_of_caption CHECK (char_length(caption) <= 20000) NOT VALID;
ALTER TABLE plant
    ADD CONSTRAINT length_of_growth_form CHECK (char_length(growth_form) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_remarks CHECK (char_length(remarks) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_came_as CHECK (char_length(came_as) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_habitat CHECK (char_length(habitat) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_origin CHECK (char_length(origin) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_management CHECK (char_length(management) <= 500) NOT VALID;
ALTER TABLE plant_link
    ADD CONSTRAINT length_of_kind CHECK (char_length(kind) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID;
ALTER TABLE property_claim
    ADD CONSTRAINT length_of_property CHECK (char_length(property) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID;
ALTER TABLE purpose
    ADD CONSTRAINT length_of_label CHECK (char_length(label) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_label_fold CHECK (char_length(label_fold) <= 2000) NOT VALID;
ALTER TABLE questionnaire
    ADD CONSTRAINT length_of_title CHECK (char_length(title) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_questions CHECK (char_length(questions) <= 200000) NOT VALID;
ALTER TABLE questionnaire_answer
    ADD CONSTRAINT length_of_answers CHECK (char_length(answers) <= 200000) NOT VALID;
ALTER TABLE release
    ADD CONSTRAINT length_of_state CHECK (char_length(state) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_digest CHECK (char_length(digest) <= 500) NOT VALID;
ALTER TABLE release_cell
    ADD CONSTRAINT length_of_cell CHECK (char_length(cell) <= 500) NOT VALID;
ALTER TABLE report_coding
    ADD CONSTRAINT length_of_scheme CHECK (char_length(scheme) <= 64) NOT VALID;
ALTER TABLE report_ingredient
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_role CHECK (char_length(role) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_amount CHECK (char_length(amount) <= 500) NOT VALID;
ALTER TABLE report_step
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_lasts CHECK (char_length(lasts) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_heat CHECK (char_length(heat) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_strength CHECK (char_length(strength) <= 500) NOT VALID;
ALTER TABLE report_teaching
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_told_when CHECK (char_length(told_when) <= 500) NOT VALID;
ALTER TABLE rules
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID;
ALTER TABLE source
    ADD CONSTRAINT length_of_code CHECK (char_length(code) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_kind CHECK (char_length(kind) <= 500) NOT VALID;
ALTER TABLE specimen
    ADD CONSTRAINT length_of_collector CHECK (char_length(collector) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_number CHECK (char_length(number) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_place CHECK (char_length(place) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_herbarium CHECK (char_length(herbarium) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_duplicates CHECK (char_length(duplicates) <= 500) NOT VALID;
ALTER TABLE study
    ADD CONSTRAINT length_of_code CHECK (char_length(code) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_title CHECK (char_length(title) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_question CHECK (char_length(question) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_zone CHECK (char_length(zone) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_scheme CHECK (char_length(scheme) <= 64) NOT VALID;
ALTER TABLE study_checklist
    ADD CONSTRAINT length_of_title CHECK (char_length(title) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_edition CHECK (char_length(edition) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_citation CHECK (char_length(citation) <= 20000) NOT VALID;
ALTER TABLE taxon
    ADD CONSTRAINT length_of_name CHECK (char_length(name) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_authorship CHECK (char_length(authorship) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_rank CHECK (char_length(rank) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_genus CHECK (char_length(genus) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_family CHECK (char_length(family) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_name_fold CHECK (char_length(name_fold) <= 2000) NOT VALID;
ALTER TABLE term_label
    ADD CONSTRAINT length_of_language CHECK (char_length(language) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_label CHECK (char_length(label) <= 500) NOT VALID;
ALTER TABLE use_report
    ADD CONSTRAINT length_of_words CHECK (char_length(words) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_caution CHECK (char_length(caution) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_note CHECK (char_length(note) <= 20000) NOT VALID,
    ADD CONSTRAINT length_of_currency CHECK (char_length(currency) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_attributed_to CHECK (char_length(attributed_to) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_mixture CHECK (char_length(mixture) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_role CHECK (char_length(role) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_season CHECK (char_length(season) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_harvest CHECK (char_length(harvest) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_harvest_effect CHECK (char_length(harvest_effect) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_dose CHECK (char_length(dose) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_taker CHECK (char_length(taker) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_phase CHECK (char_length(phase) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_frequency CHECK (char_length(frequency) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_course CHECK (char_length(course) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_proportion CHECK (char_length(proportion) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_actor CHECK (char_length(actor) <= 500) NOT VALID;
ALTER TABLE use_score
    ADD CONSTRAINT length_of_taxon CHECK (char_length(taxon) <= 500) NOT VALID;
ALTER TABLE vocabulary_term
    ADD CONSTRAINT length_of_vocabulary CHECK (char_length(vocabulary) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_scheme CHECK (char_length(scheme) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_code CHECK (char_length(code) <= 64) NOT VALID,
    ADD CONSTRAINT length_of_abbreviation CHECK (char_length(abbreviation) <= 64) NOT VALID;
ALTER TABLE worklist_mark
    ADD CONSTRAINT length_of_rule CHECK (char_length(rule) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_about CHECK (char_length(about) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_way CHECK (char_length(way) <= 500) NOT VALID,
    ADD CONSTRAINT length_of_reason CHECK (char_length(reason) <= 20000) NOT VALID;
