"""The name web: local names on the left, plants on the right, a line wherever somebody used the name for the plant.

Names of several plants and plants of several names in one language are what it is for; both sides are ordered so that lines cross
little (the barycentre way of Sugiyama et al. 1981, IEEE Trans. Syst. Man Cybern. 11: 109-125).
"""

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

ROW, HEAD = 24.0, 30.0
LEFT_X, RIGHT_X, WIDTH = 300.0, 520.0, 906.0
_ROUNDS = 12


@dataclass(frozen=True)
class Used:
    """That a name of a language was used for a plant (its key) so many times; 0 where nobody is on record as using it."""

    name: str
    plant: str
    times: int
    language: str = ""

    @property
    def key(self) -> str:
        """The name within its language, as the web keeps them apart."""
        return f"{self.name}|{self.language}"


@dataclass(frozen=True)
class End:
    """A name or a plant on its line: its key, the baseline `y`, and with how many of the other side it is tied."""

    key: str
    y: float
    ties: int


@dataclass(frozen=True)
class Tie:
    """A line from a name at `y1` to a plant at `y2`, `width` pixels thick."""

    name: str
    plant: str
    y1: float
    y2: float
    times: int
    width: float


@dataclass(frozen=True)
class NameWeb:
    """Everything drawn: the height, names, plants, and the ties between them, the thickest last."""

    height: float
    names: tuple[End, ...]
    plants: tuple[End, ...]
    ties: tuple[Tie, ...]


def name_web(used: Sequence[Used]) -> NameWeb:
    """Place names and plants; nothing used gives an empty web. The order of what is given does not matter."""
    pairs = sorted({(one.key, one.plant): one for one in used}.items())
    plants_of, names_of = defaultdict(list), defaultdict(list)
    for (name, plant), _one in pairs:
        plants_of[name].append(plant)
        names_of[plant].append(name)
    names, plants = sorted(plants_of), sorted(names_of)
    for _round in range(_ROUNDS):
        names = _by_middle(names, plants_of, plants)
        plants = _by_middle(plants, names_of, names)
    rows = max(len(names), len(plants))
    name_y, plant_y = _spread(names, rows), _spread(plants, rows)
    ties = [
        Tie(name, plant, name_y[name], plant_y[plant], one.times, min(1.0 + one.times / 4, 6.0)) for (name, plant), one in pairs
    ]
    return NameWeb(
        HEAD + ROW * rows + 6,
        tuple(End(name, name_y[name], len(plants_of[name])) for name in names),
        tuple(End(plant, plant_y[plant], len(names_of[plant])) for plant in plants),
        tuple(sorted(ties, key=lambda tie: (tie.times, tie.name, tie.plant))),
    )


def tangled(used: Sequence[Used]) -> list[Used]:
    """The uses of names of several plants, and of plants with several names in one language."""
    of_name, of_plant = Counter(one.key for one in used), Counter((one.plant, one.language) for one in used)
    return [one for one in used if of_name[one.key] > 1 or of_plant[one.plant, one.language] > 1]


def crossings(web: NameWeb) -> int:
    """How many pairs of ties cross; what the order is to keep low."""
    ties = web.ties
    return sum((a.y1 - b.y1) * (a.y2 - b.y2) < 0 for at, a in enumerate(ties) for b in ties[at + 1 :])


def _by_middle(own: list[str], others_of: dict[str, list[str]], others: list[str]) -> list[str]:
    """One side in the order of the middles of what each is tied to on the other side."""
    place = {key: at for at, key in enumerate(others)}
    return sorted(own, key=lambda key: (sum(place[one] for one in others_of[key]) / len(others_of[key]), own.index(key)))


def _spread(keys: list[str], rows: int) -> dict[str, float]:
    """The baselines of one side, spread over the height that the longer side needs."""
    step = ROW * rows / len(keys) if keys else ROW
    return {key: round(HEAD + step * (at + 0.5) + 5, 1) for at, key in enumerate(keys)}
