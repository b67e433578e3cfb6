"""What each number of the reckoning is: its formula, what its symbols mean, whose it is, and when it misleads.

Formulas are in a linear notation: `frac(a; b)`, `sqrt(a)`, `sum_i`, `X_s` for an index, `^2` for a square; words in quotes.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Explanation:
    """`symbol` and `name` of the number, its formula, the meanings of the symbols, its source, the line on when it misleads."""

    symbol: str
    name: str
    formula: str
    meanings: tuple[tuple[str, str], ...]
    source: str
    misleads: str


_NC = ("NC", "use categories of the study, or of its protocol")
_N = ("N", "everybody counted, the silent too")
_FC = ("FC", "informants who told of it")
_NU = ("NU", "use categories told of it (specific uses where these are the unit)")
_T = ("T", "informants heard, the silent too")
_Q = (("Q_1", "things that exactly one informant told"), ("Q_2", "things that exactly two told"))
_U = ("U", "the sum over things of the informants who told them")
_BYG = "Byg & Balslev 2001, Biodivers Conserv 10:951–970"

EXPLAINED: dict[str, Explanation] = {
    "uvt": Explanation(
        "UV (told)",
        "use value over those who told (school C)",
        "UV = frac(sum_i U_i; FC)",
        (("U_i", "specific uses that informant i names"), _FC),
        "common practice; some papers write n for FC",
        "Misleads beside the other schools: it is at least 1 for every plant that anybody told of.",
    ),
    "cv": Explanation(
        "CV",
        "cultural value",
        "CV = frac(NU; NC) · frac(FC; N) · frac(UR; N)",
        (_NU, _NC, _FC, _N, ("UR", "use reports of it")),
        "Reyes-García et al. 2006, Econ Bot 60:62–74",
        "Misleads when the protocol lists more categories than were observed, or fewer.",
    ),
    "ri": Explanation(
        "RI",
        "relative importance",
        "RI = frac(frac(FC; FC_max) + frac(NU; NU_max); 2)",
        (_FC, ("FC_max", "the highest FC of this analysis"), _NU, ("NU_max", "the highest NU of this analysis")),
        "Pardo-de-Santayana 2003; Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39",
        "Misleads when one plant far ahead of the others sets both maxima.",
    ),
    "rip": Explanation(
        "RI (properties)",
        "relative importance of properties",
        "RI = frac(NUC; NUC_max) + frac(NT; NT_max)",
        (
            ("NUC", "use categories, standing for body systems"),
            ("NUC_max", "the most of any plant"),
            ("NT", "specific uses, standing for properties"),
            ("NT_max", "the most of any plant"),
        ),
        "Bennett & Prance 2000, Econ Bot 54:90–102 (range from memory)",
        "Misleads as a measure of agreement: no informants stand in it, and one can give a plant the highest value.",
    ),
    "csi": Explanation(
        "CSI",
        "cultural significance",
        "CSI = ( sum_u i_u · e_u · c_u ) · frac(FC; FC_max)",
        (
            ("i_u", "management of the plant for use u: 2 or 1"),
            ("e_u", "preference: 2 or 1"),
            ("c_u", "frequency: 2 or 1"),
            _FC,
            ("FC_max", "citations of the most cited plant"),
        ),
        "da Silva, Andrade & Albuquerque 2006, Field Methods 18:98–108",
        "Misleads where scores were given after the counts were known.",
    ),
    "fl": Explanation(
        "FL",
        "fidelity level of the main purpose",
        "FL = 100 · frac(I_p; FC)",
        (("I_p", "informants who give the main purpose"), _FC),
        "Friedman et al. 1986, J Ethnopharmacol 16:275–287",
        "Misleads at small FC: a plant that one informant told of has 100.",
    ),
    "rpl": Explanation(
        "RPL",
        "relative popularity",
        'RPL = frac(FC; T) , "at most 1"',
        (_FC, ("T", "the FC from which the number of uses levels off")),
        "Friedman et al. 1986; T by least squares is the house rule",
        "Misleads where there is no plateau: T is then the highest FC.",
    ),
    "rop": Explanation(
        "ROP",
        "rank order priority",
        "ROP = FL · RPL",
        (("FL", "fidelity level"), ("RPL", "relative popularity")),
        "Friedman et al. 1986",
        "Misleads with RPL where the number of uses has no plateau.",
    ),
    "ud": Explanation(
        "UD",
        "diversity of uses",
        "UD = frac(1; sum_u p_u ^2) = frac(UR ^2; S)",
        (
            ("p_u", "share of its reports in category u"),
            ("UR", "use reports of it"),
            ("S", "the sum of squared reports by category"),
        ),
        _BYG,
        "Misleads at few reports: it cannot exceed their number.",
    ),
    "ue": Explanation(
        "UE",
        "evenness of uses",
        "UE = frac(UD; NU)",
        (("UD", "diversity of uses"), _NU),
        f"{_BYG} (normaliser less certain)",
        "Misleads where NU is 1: it is then 1.",
    ),
    "id": Explanation(
        "ID",
        "diversity of informants",
        "ID = frac(1; sum_i p_i ^2) = frac(UR ^2; S)",
        (
            ("p_i", "share of its reports that informant i gave"),
            ("UR", "use reports of it"),
            ("S", "the sum of squared reports by informant"),
        ),
        _BYG,
        "Misleads at few reports: it cannot exceed their number.",
    ),
    "ie": Explanation(
        "IE",
        "evenness of informants",
        "IE = frac(ID; FC)",
        (("ID", "diversity of informants"), _FC),
        f"{_BYG} (normaliser less certain)",
        "Misleads where FC is 1: it is then 1.",
    ),
    "uc": Explanation(
        "UC",
        "use consensus",
        "UC = frac(2 · FC; N) − 1",
        (_FC, _N),
        f"{_BYG} (less certain)",
        "Misleads when many of the N were never asked about the plant.",
    ),
    "sd": Explanation(
        "SD",
        "diversity of species in the category",
        "SD = frac(1; sum_s p_s ^2)",
        (("p_s", "share of the category’s reports that species s has"),),
        _BYG,
        "Misleads at few reports: it cannot exceed their number.",
    ),
    "fuv": Explanation(
        "FUV",
        "family use value",
        "FUV = frac(sum_s UV_s; n)",
        (("UV_s", "use value of species s of the family"), ("n", "its cited species")),
        "Phillips & Gentry 1993, Econ Bot 47:15–32",
        "Misleads for families of one cited species: it is that species’ value.",
    ),
    "smith": Explanation(
        "S",
        "Smith’s salience",
        "S = frac(1; N) · sum_i frac(L_i − R_i + 1; L_i)",
        (("N", "lists, the empty ones too"), ("L_i", "length of list i"), ("R_i", "place of the item in it")),
        "Smith 1993, CAM 5:1–3; Smith & Borgatti 1997",
        "Misleads when lists were cut short.",
    ),
    "sutrop": Explanation(
        "Sutrop",
        "Sutrop’s salience",
        "S = frac(F; N · m)",
        (("F", "lists that have the item"), ("N", "lists, the empty ones too"), ("m", "its mean place in them")),
        "Sutrop 2001, Field Methods 13:263–276",
        "Misleads for items that few named early.",
    ),
    "chao2": Explanation(
        "Chao2",
        "richness, bias-corrected",
        "S + frac(T − 1; T) · frac(Q_1 · ( Q_1 − 1 ); 2 · ( Q_2 + 1 ))",
        (("S", "things heard"), _T, *_Q),
        "Chao 1987, Biometrics 43:783–791",
        "Misleads as an upper bound: it is a lower one.",
    ),
    "jack1": Explanation(
        "jackknife",
        "first-order jackknife",
        "S + Q_1 · frac(T − 1; T)",
        (("S", "things heard"), _T, _Q[0]),
        "Heltshe & Forrester 1983",
        "Misleads when few informants were heard.",
    ),
    "coverage": Explanation(
        "C",
        "coverage",
        "C = 1 − frac(Q_1; U) · frac(( T − 1 ) · Q_1; ( T − 1 ) · Q_1 + 2 · Q_2)",
        (_U, _T, *_Q),
        "Chao & Jost 2012, Ecology 93:2533–2547",
        "Misleads where holders were chosen because they know much.",
    ),
    "wanted": Explanation(
        "m",
        "holders still wanted for the coverage",
        "1 − frac(Q_1; U) · ( frac(( T − 1 ) · Q_1; ( T − 1 ) · Q_1 + 2 · Q_2) ) ^(m+1) = 0.95",
        (_U, _T, *_Q),
        "Chao et al. 2014 (less certain)",
        "Misleads beyond twice as many as were heard; no number is given there.",
    ),
    "jaccard": Explanation(
        "J",
        "Jaccard",
        "J = frac(c; A + B − c)",
        (("c", "taxa of both"), ("A", "taxa of the first, all"), ("B", "taxa of the second, all")),
        "Jaccard 1901",
        "Misleads between groups of unequal size: the larger has heard more rare things.",
    ),
    "sorensen": Explanation(
        "Sø",
        "Sørensen",
        "frac(2 · c; A + B)",
        (("c", "taxa of both"), ("A", "taxa of the first, all"), ("B", "taxa of the second, all")),
        "Sørensen 1948",
        "Misleads as Jaccard’s does.",
    ),
    "bray": Explanation(
        "BC",
        "Bray-Curtis distance on CI",
        "frac(sum_s | x_s − y_s |; sum_s ( x_s + y_s ))",
        (("x_s", "CI of species s in the first, over its own N"), ("y_s", "in the second")),
        "Bray & Curtis 1957",
        "Misleads on counts, which mix in the sizes of the groups; these are values over N.",
    ),
    "spearman": Explanation(
        "ρ",
        "rank correlation of CI",
        'ρ = frac("cov" ( r_x , r_y ); "sd" ( r_x ) · "sd" ( r_y ))',
        (("r_x", "midranks of the taxa in the first"), ("r_y", "in the second")),
        "Spearman 1904",
        "Misleads over shared taxa alone: what only one group tells is left out.",
    ),
    "permuted": Explanation(
        "p",
        "test of reports per informant",
        'p = "share of relabellings with" | T* | ≥ | T |',
        (("T", "difference of the means per informant"), ("T*", "the same with the labels of informants dealt anew")),
        "Fisher 1935",
        "Misleads where the groups were not asked about the same plants.",
    ),
    "permanova": Explanation(
        "F",
        "PERMANOVA on Jaccard distances",
        "F = frac(( SS_T − SS_W ) / ( a − 1 ); SS_W / ( N − a ))",
        (
            ("SS_T", "squared distances of all informants"),
            ("SS_W", "within groups"),
            ("a", "groups"),
            ("N", "informants who told something"),
        ),
        "Anderson 2001, Austral Ecol 26:32–46",
        "Misleads where groups differ in scatter, not in place.",
    ),
    "tie": Explanation(
        "ρ",
        "rank correlation with a measure of knowledge",
        'p = frac(1 + "#" | r* | ≥ | r |; B + 1)',
        (("r", "rank correlation"), ("r*", "with one side dealt anew"), ("B", "dealings")),
        "Spearman 1904",
        "Misleads where few are old: one of them moves it far.",
    ),
    "between": Explanation(
        "H",
        "difference between groups",
        "H = frac(12; n ( n + 1 )) · sum_g frac(R_g ^2; n_g) − 3 ( n + 1 )",
        (("R_g", "sum of midranks in group g"), ("n_g", "its informants"), ("n", "all of them")),
        "Kruskal & Wallis 1952",
        "Misleads where groups differ in spread alone.",
    ),
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
    "cpp": Explanation(
        "CPP",
        "share of a part",
        "frac(P_x; P_t)",
        (("P_x", "citations that give the part"), ("P_t", "citations that give any")),
        "Monteiro et al. 2006, J Ethnopharmacol 105:173–186 (less certain)",
        "Misleads where parts were asked about for some plants only.",
    ),
    "competence": Explanation(
        "D",
        "competence",
        "M* = frac(L · M − 1; L − 1) ≈ D_i · D_j",
        (
            ("M", "share of questions that two informants answered alike"),
            ("L", "answers to choose among"),
            ("D_i", "competence of informant i"),
        ),
        "Romney, Weller & Batchelder 1986, Am Anthropol 88:313–338",
        "Misleads where questions are of unlike difficulty.",
    ),
    "posterior": Explanation(
        "P",
        "posterior of the answer",
        'P ∝ "product over i of" D_i + frac(1 − D_i; L) "or" frac(1 − D_i; L)',
        (("D_i", "competence of informant i"), ("L", "answers to choose among")),
        "Romney, Weller & Batchelder 1986, Am Anthropol 88:313–338",
        "Misleads where informants answered together.",
    ),
}
