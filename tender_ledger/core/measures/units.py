"""Units by the words for them. Those of a fixed size are pint's; folk measures keep their name and are converted into nothing.

Sizes of the inch, foot, pound and their like: NIST Handbook 44, appendix C; spoons and cups in millilitres: 21 CFR
101.9(b)(5)(viii).
"""

from dataclasses import dataclass
from functools import cache

import pint

# The unit in which measures of a kind are compared, by kind.
STANDARD = {"length": "cm", "area": "m²", "mass": "g", "volume": "ml", "time": "h", "temperature": "°C", "share": "%"}
_PINT = {"cm": "centimeter", "m²": "meter**2", "g": "gram", "ml": "milliliter", "h": "hour", "°C": "degree_Celsius"}


@dataclass(frozen=True)
class Unit:
    """A unit as it is told: its kind, its name, and pint's name for it, "" for a folk measure."""

    kind: str
    name: str
    pint: str = ""
    rough: bool = False  # a night and a month are not of one length


def _units(kind: str, *lines: str) -> dict[str, Unit]:
    """Words to units, from lines of `name = pint's name: words`."""
    found = {}
    for line in lines:
        name, _, words = line.partition(":")
        name, _, known = (part.strip() for part in name.partition("="))
        for said in {name, *words.split()}:
            found[said.replace("_", " ")] = Unit(kind, name, known or name, rough=name in ("night", "month", "season"))
    return found


_FIXED = {
    **_units("length", "mm = millimeter: millimetre millimetres millimeter millimeters mm. mil",
             "cm = centimeter: centimetre centimetres centimeter centimeters cm. cms", "m = meter: metre metres meter meters",
             "km = kilometer: kilometre kilometres kilometer kilometers", "inch: in ins in. inches \"", "foot: ft ft. feet '",
             "yard: yd yds yards", "mile: miles mi", "fathom = six_feet: fathoms"),
    **_units("area", "acre: acres", "hectare: hectares ha", "m² = meter**2: sqm"),
    **_units("mass", "mg = milligram: milligram milligrams", "g = gram: gram grams gramme grammes gr g.",
             "kg = kilogram: kilo kilos kilogram kilograms kilogramme kilogrammes", "ounce = ounce: oz oz. ounces",
             "pound = pound: lb lbs lb. pounds", "stone = stone: stones", "grain = grain: grains", "dram = dram: drams",
             "tonne = metric_ton: tonnes"),
    **_units("volume", "ml = milliliter: millilitre millilitres milliliter milliliters mls cc",
             "cl = centiliter: centilitre centilitres", "dl = deciliter: decilitre decilitres",
             "l = liter: litre litres liter liters L", "pint = pint: pints pt", "quart = quart: quarts qt",
             "gallon = gallon: gallons gal", "fluid ounce = fluid_ounce: fluid_ounces fl_oz"),
    **_units("time", "second = second: s sec secs seconds", "minute = minute: min mins min. minutes",
             "hour = hour: h hr hrs hours", "night = day: nights", "day = day: days d", "week = week: weeks wk wks",
             "fortnight = fortnight: fortnights", "month = month: months", "year = year: years yr yrs"),
    **_units("temperature", "°C = degree_Celsius: °c celsius centigrade degrees_c degrees_celsius degrees_centigrade degree_c",
             "°F = degree_Fahrenheit: °f fahrenheit degrees_f degrees_fahrenheit degree_f"),
}  # fmt: skip
_MILLILITRES = {"teaspoon": 5, "tablespoon": 15, "cup": 240}
_SHORT = {"teaspoon": "tsp", "tablespoon": "tbsp", "cup": "cupful"}
_SPOONS = {form: Unit("volume", name, name) for name, short in _SHORT.items()
           for form in (name, f"{name}s", f"{name}ful", f"{name}fuls", short)}  # fmt: skip
_SHARES = {said: Unit("share", "%", "percent") for said in ("%", "percent", "per cent", "pct")}
# Folk measures, one a line: the name, and the other words for it.
_FOLK_WORDS = """
    pinch pinches
    handful handfuls
    fistful fistfuls fist fists
    armful armfuls
    drop drops
    dropperful dropperfuls dropper droppers
    spoon spoons spoonful spoonfuls
    rounded_spoon rounded_spoons rounded_spoonful
    heaped_spoon heaped_spoons heaped_spoonful
    knife-point knife_-_point
    bundle bundles
    bunch bunches
    basket baskets basketful basketfuls
    crock crocks
    mug mugs mugful
    bowl bowls bowlful
    bucket buckets bucketful bucketfuls
    pot pots potful
    sack sacks sackful
    jar jars jarful
    glass glasses glassful
    bottle bottles
    ladle ladles
    thimble thimbles thimbleful
    finger fingers
    thumb thumbs
    hand hands
    palm palms
    span spans handspan handspans
    arm arms
    pace paces step steps
    season seasons
    moon moons
    mouthful mouthfuls
    sip sips
    part parts
    degree degrees
"""
_FOLK = {said.replace("_", " "): Unit("folk", line.split()[0].replace("_", " "))
         for line in _FOLK_WORDS.strip().splitlines() for said in line.split()}  # fmt: skip
_KNOWN: dict[str, Unit] = {**_FOLK, **_FIXED, **_SPOONS, **_SHARES}
# What of a body something reaches to, or is as thick as, told without a number.
BODY = {"ankle": "ankle", "knee": "knee", "thigh": "thigh", "hip": "hip", "waist": "waist", "breast": "chest", "chest": "chest",
        "shoulder": "shoulder", "head": "head", "man": "person", "finger": "finger", "thumb": "thumb", "hand": "hand",
        "wrist": "wrist", "arm": "arm", "fist": "fist"}  # fmt: skip


def unit_of(said: str) -> Unit | None:
    """The unit of a word or of two, in small letters; None for what is no unit."""
    return _KNOWN.get(said)


def into_standard(value: float, unit: Unit) -> float:
    """A value in the standard unit of its kind; folk measures and counts stay as they are."""
    if unit.kind in ("folk", "count", "share", "ratio", "multiple"):
        return value
    if unit.name in _MILLILITRES:
        return value * _MILLILITRES[unit.name]
    return float(_registry().Quantity(value, unit.pint).to(_PINT[STANDARD[unit.kind]]).magnitude)


@cache
def _registry() -> "pint.UnitRegistry[float]":
    registry: pint.UnitRegistry[float] = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)
    registry.define("six_feet = 6 * foot")  # pint's own fathom is six feet of the survey
    return registry
