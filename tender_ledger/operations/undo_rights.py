"""What an undo may do: no more than its changes would be allowed to do if somebody made them directly.

Two tables say it: the right that each operation asks, and the right that a direct change of each kind of record asks. An undo
asks the first of the act that it goes back to, through however many undos, and the second of everything it changes.
"""

from collections.abc import Iterable, Mapping
from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Member, Scope
from tender_ledger.operations.errors import CannotUndo
from tender_ledger.storage.models import CommunityRestriction, Consent, Determination, UseReport
from tender_ledger.storage.queries import people, terms

RIGHT_OF_OPERATION: Mapping[str, Right] = {
    **dict.fromkeys(
        ("add_category", "add_language", "add_dialect", "add_community", "correct_community", "add_member", "join_study",
         "remove_role", "set_minimum_holders", "ask_second_factor", "record_permit", "correct_permit", "say_choice_of_holders"),
        Right.ADMINISTER,
    ),
    **dict.fromkeys(
        ("import_table", "bring_checklist", "remove_checklist", "bring_flora", "remove_flora", "bring_answers"), Right.IMPORT
    ),
    **dict.fromkeys(("set_rules", "save_rules", "remove_rules", "freeze_reckoning", "remove_frozen"), Right.SET_RULES),
    **dict.fromkeys(("record_agreement", "withdraw_agreement"), Right.AGREE),
    **dict.fromkeys(("restrict_records", "release_records"), Right.RESTRICT),
    **dict.fromkeys(("settle_item", "set_item_aside", "reopen_item", "score_use"), Right.SETTLE),
    "edit_reports": Right.BULK_EDIT,
    **dict.fromkeys(
        ("add_holder", "correct_holder", "add_source", "correct_source", "import_references", "open_encounter",
         "correct_encounter", "add_plant", "correct_plant", "measure_feature", "remove_feature", "keep_list", "take_list_back",
         "add_specimen", "correct_specimen", "remove_specimen", "keep_picture", "remove_picture", "name_plant",
         "determine_plant", "record_report", "correct_report", "remove_report", "complete_report", "duplicate_report",
         "split_report", "merge_reports", "dispute_report", "settle_dispute", "claim_property", "remove_claim", "link_plants",
         "unlink_plants", "record_asking", "record_caution", "remove_caution", "make_questionnaire", "correct_questionnaire",
         "remove_questionnaire", "enter_answers", "record_beside", "remove_plant", "remove_name", "remove_encounter",
         "remove_holder"),
        Right.RECORD,
    ),
}  # fmt: skip
RIGHT_OF_ENTITY: Mapping[str, Right] = {
    **dict.fromkeys(
        ("membership", "community", "language", "dialect", "vocabulary_term", "permit", "choice_of_holders", "publishing_rule",
         "sign_in_rule"),
        Right.ADMINISTER,
    ),
    **dict.fromkeys(("import_batch", "checklist", "flora"), Right.IMPORT),
    **dict.fromkeys(("rules", "frozen_reckoning"), Right.SET_RULES),
    **dict.fromkeys(("worklist_mark", "use_score"), Right.SETTLE),
    Consent.ENTITY: Right.AGREE,
    CommunityRestriction.ENTITY: Right.RESTRICT,
    **dict.fromkeys(
        ("asking", "attestation", "caution", "determination", "dispute", "encounter", "feature", "free_list", "holder",
         "local_name", "picture", "plant", "plant_link", "property_claim", "questionnaire", "questionnaire_answer", "source",
         "specimen", "use_report"),
        Right.RECORD,
    ),
}  # fmt: skip
FOR_GOOD = frozenset({"create_study", "erase_holder"})  # operations that nothing undoes
Change = Mapping[str, Any]


def may_undo(member: Member, act: Mapping[str, Any]) -> bool:
    """Whether a page offers to undo an act: `person_id`, `others` (whether anybody else acted in its chain of undos) and
    `root_operation`, which the chain goes back to. The undo itself asks more, of every record."""
    right = RIGHT_OF_OPERATION.get(act["root_operation"])
    if right is None or right is Right.RESTRICT:  # guardians release and restrict where the records stand
        return False
    return member.may(right) and member.may(Right.UNDO_OTHERS if act["others"] else Right.RECORD)


def require_undo(scope: Scope, chain: list[dict[str, Any]], changes: Iterable[Change]) -> None:
    """Raise NotAllowed unless the viewer may undo an act with these changes.

    `chain` begins with the act and ends with the act that it goes back to. What guardians hold back only guardians of the
    community put back, whoever held it back.
    """
    asked = list(changes)
    restrictions = [change for change in asked if change["entity"] == CommunityRestriction.ENTITY]
    for change in restrictions:
        scope.viewer.require_for(Right.RESTRICT, _state(change)["community_id"])
    if len(restrictions) == len(asked):
        return
    others = any(act["person_id"] != scope.viewer.person_id for act in chain)
    scope.viewer.require(Right.UNDO_OTHERS if others else Right.RECORD)
    root = chain[-1]["operation"]
    if root in FOR_GOOD:
        raise CannotUndo("A study that was set up stays set up." if root == "create_study" else "What was erased stays erased.")
    for right in sorted({RIGHT_OF_OPERATION[root], *(_right_of(change) for change in asked)} - {Right.AGREE, Right.RESTRICT}):
        scope.viewer.require(right)
    for change in asked:
        if change["entity"] == Consent.ENTITY:
            state = _state(change)
            scope.viewer.require_for(Right.AGREE, state["community_id"] or people.community_of(scope, state["holder_id"]))


def _right_of(change: Change) -> Right:
    """What the change would ask if made directly; a determination in place of another is a redetermination."""
    if change["entity"] == Determination.ENTITY and change["before"] and change["after"]:
        return Right.REDETERMINE
    return RIGHT_OF_ENTITY[change["entity"]]


def _state(change: Change) -> Mapping[str, Any]:
    state: Mapping[str, Any] = change["after"] or change["before"]
    return state


def require_terms(scope: Scope, act_id: int, changes: Iterable[Change]) -> None:
    """Raise CannotUndo where what an undo put back could not be recorded today: its teller agreed otherwise since.

    Asked after the records were put back, within the act, so that agreements which came back with them are heard.
    """
    back = [change for change in changes if change["before"]]
    tellers = {change["before"]["informant_id"] for change in back if change["before"].get("informant_id")}
    reports = [change["record_id"] for change in back if change["entity"] == UseReport.ENTITY]
    if terms.not_recordable(scope, sorted(tellers)) or terms.refused_records(scope, reports):
        raise CannotUndo("The teller’s agreement of today lets nothing of this be recorded. Nothing was undone.")
    agreements = [change["record_id"] for change in back if change["entity"] == Consent.ENTITY and not change["after"]]
    if people.withdrawn_since(scope, agreements, act_id):
        raise CannotUndo("Whoever gave this agreement withdrew since. Record a new agreement instead; nothing was undone.")
