"""How the marks of a figure look in a file of its own, where no style sheet of the page reaches."""

# What each kind of mark looks like in a file, as attributes that every program reads; the page has its own style sheet.
_SANS, _SERIF = 'font-family="Noto Sans, sans-serif"', 'font-family="Gentium Plus, serif"'
LOOKS = {
    "title": f'{_SERIF} font-size="20" fill="#1b2526"',
    "sentence": f'{_SERIF} font-size="13" fill="#566260"',
    "head": f'{_SANS} font-size="11.5" fill="#566260"',
    "tick": f'{_SANS} font-size="10" fill="#566260" text-anchor="middle"',
    "rank": f'{_SANS} font-size="12" fill="#566260" text-anchor="end"',
    "name": f'{_SERIF} font-size="15" fill="#1b2526"',
    "auth": f'{_SERIF} font-size="12" fill="#566260" font-style="normal"',
    "value": f'{_SERIF} font-size="15" font-weight="700" fill="#1b2526" text-anchor="end"',
    "count": f'{_SERIF} font-size="15" fill="#1b2526" text-anchor="end"',
    "code": f'{_SANS} font-size="8.5" fill="#566260" text-anchor="middle"',
    "degrees": f'{_SANS} font-size="11" fill="#566260"',
    "place": f'{_SERIF} font-size="15" fill="#1b2526"',
    "rule": 'stroke="#1b2526" stroke-width="1.5"',
    "hair": 'stroke="#e2e5de" stroke-width="1"',
    "stem": 'stroke="#77827e" stroke-width="1"',
    "dot": 'fill="#1b2526"',
    "hollow": 'fill="#ffffff" stroke="#1b2526" stroke-width="1.5"',
}
