"""Countries by their two letters: which exist, and what people write for some of them. Source: ISO 3166-1 alpha-2."""

from difflib import get_close_matches

from gray_kettle.errors import InvalidInput
from gray_kettle.safe_text import printable

_LETTERS = (
    "AD AE AF AG AI AL AM AO AQ AR AS AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BQ BR BS BT BV BW BY "
    "BZ CA CC CD CF CG CH CI CK CL CM CN CO CR CU CV CW CX CY CZ DE DJ DK DM DO DZ EC EE EG EH ER ES ET FI FJ FK "
    "FM FO FR GA GB GD GE GF GG GH GI GL GM GN GP GQ GR GS GT GU GW GY HK HM HN HR HT HU ID IE IL IM IN IO IQ IR "
    "IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MF MG MH MK "
    "ML MM MN MO MP MQ MR MS MT MU MV MW MX MY MZ NA NC NE NF NG NI NL NO NP NR NU NZ OM PA PE PF PG PH PK PL PM "
    "PN PR PS PT PW PY QA RE RO RS RU RW SA SB SC SD SE SG SH SI SJ SK SL SM SN SO SR SS ST SV SX SY SZ TC TD TF "
    "TG TH TJ TK TL TM TN TO TR TT TV TW TZ UA UG UM US UY UZ VA VC VE VG VI VN VU WF WS XK YE YT ZA ZM ZW "
)
CODES = frozenset(_LETTERS.split())
_OTHERWISE = {
    "UK": "GB", "EL": "GR", "EN": "GB", "SF": "FI", "SU": "RU",
    "BRITAIN": "GB", "GREAT BRITAIN": "GB", "UNITED KINGDOM": "GB", "ENGLAND": "GB", "SCOTLAND": "GB", "WALES": "GB",
    "USA": "US", "AMERICA": "US", "UNITED STATES": "US", "GERMANY": "DE", "DEUTSCHLAND": "DE", "FRANCE": "FR",
    "SPAIN": "ES", "ITALY": "IT", "NETHERLANDS": "NL", "HOLLAND": "NL", "BELGIUM": "BE", "AUSTRIA": "AT",
    "SWITZERLAND": "CH", "POLAND": "PL", "SWEDEN": "SE", "NORWAY": "NO", "DENMARK": "DK", "FINLAND": "FI",
    "IRELAND": "IE", "PORTUGAL": "PT", "GREECE": "GR", "CZECHIA": "CZ", "HUNGARY": "HU", "CANADA": "CA",
    "MEXICO": "MX", "BRAZIL": "BR", "JAPAN": "JP", "CHINA": "CN", "KOREA": "KR", "INDIA": "IN", "AUSTRALIA": "AU",
    "NEW ZEALAND": "NZ", "SOUTH AFRICA": "ZA", "TURKEY": "TR", "UKRAINE": "UA", "SINGAPORE": "SG",
}  # fmt: skip


def country_from(text: str) -> str:
    """The two letters of a country; "" for nothing. Raises: InvalidInput, with what was meant where that is known."""
    wanted = " ".join(text.split()).upper()
    if not wanted or wanted in CODES:
        return wanted
    near = [wanted] if wanted in _OTHERWISE else get_close_matches(wanted, _OTHERWISE, 1, 0.8)
    if near:
        raise InvalidInput(
            f"“{printable(text.strip())}” is not a country code: did you mean {_OTHERWISE[near[0]]}?"
        )
    begin_so = sorted(code for code in CODES if len(wanted) == 2 and code[0] == wanted[0])
    known = f" With {wanted[0]} begin: {', '.join(begin_so)}." if begin_so else ""
    raise InvalidInput(
        f"“{printable(text.strip())}” is not a country: write two letters, for example GB.{known}"
    )
