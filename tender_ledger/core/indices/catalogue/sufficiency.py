"""Whether enough was heard."""

from tender_ledger.core.indices.catalogue.explanation import COMMON, Explanation, Q, T, U

OF_SUFFICIENCY: dict[str, Explanation] = {
    "chao2": Explanation(
        "Chao2",
        "richness, bias-corrected",
        "S + frac(T − 1; T) · frac(Q_1 · ( Q_1 − 1 ); 2 · ( Q_2 + 1 ))",
        (("S", "things heard"), T, *Q),
        "Chao 1987, Biometrics 43:783–791",
        "Misleads as an upper bound: it is a lower one.",
    ),
    "jack1": Explanation(
        "jackknife",
        "first-order jackknife",
        "S + Q_1 · frac(T − 1; T)",
        (("S", "things heard"), T, Q[0]),
        "Heltshe & Forrester 1983",
        "Misleads when few informants were heard.",
    ),
    "coverage": Explanation(
        "C",
        "coverage",
        "C = 1 − frac(Q_1; U) · frac(( T − 1 ) · Q_1; ( T − 1 ) · Q_1 + 2 · Q_2)",
        (U, T, *Q),
        "Chao & Jost 2012, Ecology 93:2533–2547",
        "Misleads where holders were chosen because they know much.",
    ),
    "wanted": Explanation(
        "m",
        "holders still wanted for the coverage",
        "1 − frac(Q_1; U) · ( frac(( T − 1 ) · Q_1; ( T − 1 ) · Q_1 + 2 · Q_2) ) ^(m+1) = 0.95",
        (U, T, *Q),
        "Chao et al. 2014 (less certain)",
        "Misleads beyond twice as many as were heard; no number is given there.",
    ),
    "heard": Explanation(
        "T",
        "holders heard",
        'T = "informants counted, the silent too"',
        (T,),
        COMMON,
        "Misleads when the silent were not recorded: enough then seems to have been heard too soon.",
    ),
    "sofar": Explanation(
        "S",
        "heard so far",
        'S = "different things told"',
        (("S", "plants, specific uses, or plants for categories"),),
        COMMON,
        "Misleads as a richness: it grows with every further holder.",
    ),
    "q1": Explanation(
        "Q₁",
        "told by one only",
        'Q_1 = "things that exactly one informant told"',
        (Q[0],),
        "Chao 1987, Biometrics 43:783–791",
        "Misleads where plants are left undetermined: each is then told by one.",
    ),
    "q2": Explanation(
        "Q₂",
        "told by two",
        'Q_2 = "things that exactly two informants told"',
        (Q[1],),
        "Chao 1987, Biometrics 43:783–791",
        "Misleads as Q₁ does.",
    ),
}
