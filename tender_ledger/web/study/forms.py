"""Forms of setting up a study and of letting people into it."""

from typing import Self

from wtforms import DateField, SelectField
from wtforms.validators import Optional

from tender_ledger.core.rights import Role
from tender_ledger.web.shared.chosen import WAYS
from tender_ledger.web.shared.forms import LedgerForm, community_choices, options, text
from tender_ledger.web.shared.words import gettext as _

ROLES = [(Role.READER, _("reader")), (Role.RECORDER, _("recorder")), (Role.REVIEWER, _("reviewer")), (Role.OWNER, _("owner")),
         (Role.GUARDIAN, _("guardian of a community"))]  # fmt: skip


PERMITS = [("ethics", _("ethics approval")), ("research", _("research permit")),
           ("access_and_benefit", _("agreement on access and benefits"))]  # fmt: skip


class StudyForm(LedgerForm):
    code = text(_("Code"), _("Capital letters, digits, hyphens; it stands in every address of the study."))
    title = text(_("Title"))
    question = text(_("Question of the study"))
    zone = text(_("Time zone"), _("Days begin and end by it, such as UTC or Etc/GMT+3."))


class RoleForm(LedgerForm):
    """A role in a study; a guardian's is for one community."""

    role = SelectField(_("Role"), choices=options(ROLES))
    community_id = SelectField(_("Guardian of"), validate_choice=False)

    def offer(self) -> Self:
        self.community_id.choices = community_choices(_("only for a guardian"))
        return self


class MemberForm(RoleForm):
    email = text(_("E-mail address"), _("Of somebody who signs in here already."), type="email")


class InvitationForm(RoleForm):
    meant_for = text(_("Meant for"), _("For your own list; the link works for whoever has it."))


class PermitForm(LedgerForm):
    kind = SelectField(_("Kind"), choices=options(PERMITS), validate_choice=False)
    given_by = text(_("Given by"), _("The board, office or council."))
    reference = text(_("Number or reference"))
    granted_on = DateField(_("Given on"))
    expires_on = DateField(_("Stands until"), description=_("Its last day; open where none was set."), validators=[Optional()])
    conditions = text(_("Conditions"), _("What it asks of the study, in words."))


class CategoryForm(LedgerForm):
    label = text(_("Category"), _("In the words of the people: what they call this kind of use."))
    within = SelectField(_("Part of"), validate_choice=False)


class ChosenForm(LedgerForm):
    way = SelectField(_("How the holders were chosen"), choices=options([("", _("choose")), *WAYS]), validate_choice=False)
    words = text(_("In words"), _("Who was asked to name whom, from which list it was drawn, who was left out."))
