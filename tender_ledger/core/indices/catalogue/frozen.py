"""What stood in a frozen reckoning, taken apart by the counts that were frozen with it."""

from tender_ledger.core.indices.catalogue.explanation import COMMON, FC, Explanation, N

_TARDIO = "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39"
_THEN = "Misleads beside today’s reports: determinations, corrections and terms may have changed since it was frozen."

FROZEN: dict[str, Explanation] = {
    "urthen": Explanation("UR", "use reports, as frozen", "UR = sum_u UR_u", (("UR_u", "use reports in category u"),), _TARDIO,
                          _THEN),
    "fcthen": Explanation("FC", "informants who told of it, as frozen", 'FC = "informants with a report of it"', (FC,), COMMON,
                          _THEN),
    "rfcthen": Explanation("RFC", "relative frequency of citation, as frozen", "RFC = frac(FC; N)", (FC, N), _TARDIO, _THEN),
    "cithen": Explanation("CI", "cultural importance index, as frozen", "CI = frac(sum_u UR_u; N)",
                          (("UR_u", "use reports in category u"), N), _TARDIO, _THEN),
    "uvthen": Explanation("UV (all)", "use value over everybody counted, as frozen", "UV = frac(sum_i U_i; N)",
                          (("U_i", "specific uses that informant i names"), N), "Rossato et al. 1999, Econ Bot 53:387–395",
                          _THEN),
    "icfthen": Explanation("ICF", "informant consensus factor, as frozen", "ICF = frac(Nur − Nt; Nur − 1)",
                           (("Nur", "use reports in the category"), ("Nt", "taxa told for it")), "Heinrich et al. 1998", _THEN),
    "nurthen": Explanation("Nur", "use reports in the category, as frozen", "Nur = sum_s UR_s",
                           (("UR_s", "use reports of taxon s in it"),), "Trotter & Logan 1986", _THEN),
    "ntthen": Explanation("Nt", "taxa told for the category, as frozen", 'Nt = "taxa with a report in it"',
                          (("Nt", "taxa, each once"),), "Trotter & Logan 1986", _THEN),
}  # fmt: skip
