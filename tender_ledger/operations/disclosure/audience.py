"""For whom a view is built: the members of the study, or whoever reads what leaves it. A view asks, and knows no rule."""

from dataclasses import dataclass

from tender_ledger.core.disclosure import Key
from tender_ledger.core.publication import (
    Publication,
    family_key,
    holders_key,
    item_key,
    part_key,
    silent_key,
    use_key,
)
from tender_ledger.core.terms import Purpose


@dataclass(frozen=True)
class Audience:
    """Members are shown every cell; others those of a publication. `whole` is the community that is all that somebody who
    stands for one community gives out: what is the whole to them is a part of the study."""

    publication: Publication | None = None
    whole: str = ""

    @property
    def purpose(self) -> Purpose:
        return Purpose.COUNTED if self.publication is None else Purpose.PUBLISHED

    @property
    def is_public(self) -> bool:
        """Whether it reads what leaves the study."""
        return self.publication is not None

    @property
    def minimum(self) -> int:
        return self.publication.minimum if self.publication else 1

    def _sees(self, key: Key) -> bool:
        return self.publication is None or self.publication.shows(key)

    def sees_community(self, community: str) -> bool:
        """Whether a community, or with "" the whole, may be told apart."""
        where = community or self.whole
        return self._sees(holders_key(where)) and (self.publication is None or not where or where in self.publication.communities)

    def sees_taxon(self, taxon: str, community: str = "") -> bool:
        """Whether the values of a taxon are shown, which go back to how many reports tell of it."""
        return self._sees(use_key(taxon, "", community or self.whole))

    def sees_use(self, taxon: str, category: str, community: str = "") -> bool:
        return self._sees(use_key(taxon, category, community or self.whole))

    def sees_category(self, category: str, community: str = "") -> bool:
        return self._sees(use_key("", category, community or self.whole))

    def sees_all(self, community: str = "") -> bool:
        """Whether the number of all reports is shown."""
        return self._sees(use_key("", "", community or self.whole))

    def sees_family(self, family: str, community: str = "") -> bool:
        return self._sees(family_key(family, community or self.whole))

    def sees_asked(self, taxon: str, community: str = "") -> bool:
        """Whether it is shown how many were asked about a taxon: of those who named no use too few may stand behind it."""
        return self._sees(silent_key(taxon, community or self.whole))

    def sees_part(self, listed: str, label: str, by: str, of: str) -> bool:
        """Whether tellings that name a part or preparation, any (NAMED) or none (UNNAMED), are shown."""
        return self._sees(part_key(listed, label, by, of))

    def tells_taxon(self, taxon: str, community: str) -> bool:
        """Whether it is shown that a community told of a taxon."""
        return self._tells(use_key(taxon, "", community))

    def tells_part(self, listed: str, label: str, by: str, of: str) -> bool:
        """Whether it is shown that a part or preparation was told, of a taxon, category or community."""
        return self._tells(part_key(listed, label, by, of))

    def _tells(self, key: Key) -> bool:
        return self.publication is None or key in self.publication.uses.shown

    def sees_item(self, item: str) -> bool:
        """Whether it is shown how many free lists hold an item."""
        return self._sees(item_key(item))


MEMBERS = Audience()
