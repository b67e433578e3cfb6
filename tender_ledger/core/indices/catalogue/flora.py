"""Families of a flora."""

from tender_ledger.core.indices.catalogue.explanation import COMMON, Explanation

OF_FLORA: dict[str, Explanation] = {
    "residual": Explanation(
        "r",
        "standardised residual",
        "r = frac(x − ( a + b · n ); s · sqrt( 1 − h ))",
        (
            ("x", "used species of the family"),
            ("n", "its species in the flora"),
            ("a", "intercept"),
            ("b", "slope"),
            ("h", "leverage"),
        ),
        "Moerman 1979, J Ethnopharmacol 1:111–119",
        "Misleads because large families dominate the line.",
    ),
    "binomial": Explanation(
        "p",
        "binomial test",
        'X ~ "Bin" ( n , frac(X_total; n_total) )',
        (("n", "species of the family in the flora"), ("X_total", "used species of all"), ("n_total", "species of all")),
        "Bennett & Husby 2008, J Ethnopharmacol 116:422–430",
        "Misleads without adjusting for the number of families.",
    ),
    "beta": Explanation(
        "95 %",
        "Bayesian bounds",
        '"Beta" ( x + 1 , n − x + 1 )',
        (("x", "used species"), ("n", "species in the flora")),
        "Weckerle et al. 2011, J Ethnopharmacol 137:837–843",
        "Misleads toward too many calls; the imprecise bounds are stricter.",
    ),
    "imprecise": Explanation(
        "95 %",
        "imprecise bounds",
        '"Beta" ( x , n − x + s ) , "Beta" ( x + s , n − x )',
        (("x", "used species"), ("n", "species in the flora"), ("s", "4, the weight of knowing nothing")),
        "Weckerle et al. 2012, J Ethnopharmacol 142:259–264 (s from memory)",
        "Misleads where the flora is of another area.",
    ),
    "used": Explanation(
        "x",
        "told species of the family",
        'x = "species of the family with a report"',
        (("x", "species; genera alone, doubts, and what is only grown here stay out"),),
        "Moerman 1979, J Ethnopharmacol 1:111–119",
        "Misleads where plants are left undetermined.",
    ),
    "inflora": Explanation(
        "n",
        "species of the family in the flora",
        'n = "as the flora that was brought in has it"',
        (("n", "species"),),
        COMMON,
        "Misleads where the flora is of another area, or of other names.",
    ),
}
