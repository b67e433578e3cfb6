"""A class for every table; the migrations, not the classes, make the schema."""

from tender_ledger.storage.models.accounts import Attempt, Invitation, Membership, Person, PersonSession
from tender_ledger.storage.models.encounters import Encounter, EncounterInformant
from tender_ledger.storage.models.history import Act, Change
from tender_ledger.storage.models.imports import ImportBatch, ImportRow, ImportUpload
from tender_ledger.storage.models.people import (
    CommunityRestriction,
    Consent,
    ConsentLimit,
    Disclosure,
    Holder,
    HolderIdentity,
    Informant,
    Source,
)
from tender_ledger.storage.models.plants import Attestation, Checklist, Determination, LocalName, Plant, Taxon
from tender_ledger.storage.models.reports import (
    Asking,
    Purpose,
    ReportApplication,
    ReportCoding,
    ReportMethod,
    ReportPart,
    UseReport,
)
from tender_ledger.storage.models.study import (
    Community,
    CommunityLanguage,
    Draft,
    Language,
    Rules,
    Study,
    TermLabel,
    VocabularyTerm,
)

__all__ = [
    "Act", "Asking", "Attempt", "Attestation", "Change", "Checklist", "Community", "CommunityLanguage",
    "CommunityRestriction", "Consent", "ConsentLimit",
    "Determination", "Disclosure", "Draft", "Encounter", "EncounterInformant", "Holder", "HolderIdentity", "ImportBatch",
    "ImportRow", "ImportUpload", "Informant", "Invitation", "Language", "LocalName", "Membership", "Person", "PersonSession",
    "Plant", "Purpose", "ReportApplication", "ReportCoding", "ReportMethod", "ReportPart", "Rules", "Source", "Study", "Taxon",
    "TermLabel", "UseReport", "VocabularyTerm",
]  # fmt: skip
