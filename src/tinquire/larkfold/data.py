"""The made-up facts of Larkfold Linen: items, customers, pickups and ledgers, all from fixed seeds."""

from __future__ import annotations

import random
from calendar import monthrange
from dataclasses import dataclass
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

__all__ = ["BANDS", "DEPOTS", "PERIODS", "Customer", "Pickup", "customers", "ledger", "managers", "pickups", "rates"]

PERIODS = ("2026-08", "2026-09", "2026-10", "2026-11")
DEPOTS = ("Northgate", "Millrace", "Harbour", "Uplands")
BANDS = ("Bed", "Bath", "Table", "Workwear")

_SEED = "larkfold"
#: About how many pickups each depot makes in a month.
_MONTHLY = {"Northgate": 860, "Millrace": 610, "Harbour": 560, "Uplands": 430}
_ITEMS = (
    ("B-01", "Single sheet", "Bed", "0.62"),
    ("B-02", "Double sheet", "Bed", "0.84"),
    ("B-03", "Pillowcase", "Bed", "0.31"), ("B-04", "Duvet cover", "Bed", "1.15"),
    ("T-01", "Bath towel", "Bath", "0.48"), ("T-02", "Hand towel", "Bath", "0.29"),
    ("T-03", "Bath mat", "Bath", "0.44"),
    ("D-01", "Tablecloth", "Table", "1.32"), ("D-02", "Napkin", "Table", "0.18"),
    ("D-03", "Tea towel", "Table", "0.22"),
    ("W-01", "Apron", "Workwear", "0.75"), ("W-02", "Kitchen jacket", "Workwear", "1.48"),
    ("W-03", "Theatre gown", "Workwear", "1.85"),
)  # fmt: skip
_WEIGHTS = {"Bed": 0.55, "Bath": 0.38, "Table": 0.24, "Workwear": 0.61}
_HOUSES = (
    "The Copper Kettle", "Foxglove Inn", "Saltmarsh Clinic", "Three Arches", "Wharfside Rooms", "The Old Tannery",
    "Ashdene Surgery", "Larch Hall", "The Gilded Hare", "Millpond House", "Quayside Dental", "St Odran's Hall",
    "The Plough and Star", "Rowan Court", "Hazelbank Care", "The Weaver's Arms", "Beacon Clinic", "Tidewater Hotel",
    "The Blue Heron", "Orchard Rooms", "Stonebeck Inn", "Greycoat Hall", "Harrow Lodge", "The Lantern",
    "Fernhill Hospice", "Cinder Path Inn", "The Ropewalk", "Alder & Finch", "Whitethorn Clinic", "The Packhorse",
    "Kestrel House", "Mariner's Rest", "Thornbury Rooms", "The Glasshouse", "Dovecote Hall", "Sable Inn",
    "Upper Croft Farm", "The Curlew", "Winterbourne Spa", "Bramble Cottage Rooms",
)  # fmt: skip
_DRIVERS = {
    "Northgate": ("P. Amadi", "J. Whitlock", "S. Okafor"), "Millrace": ("R. Dunmore", "L. Vance"),
    "Harbour": ("T. Brisk", "M. Halloran"), "Uplands": ("G. Pell", "A. Szabo"),
}  # fmt: skip
_NOTES = ("left at gate", "rush", "short by one bag", "damp", "call before next visit")
_MANAGERS = (
    ("Northgate", "Ada Merrin"), ("Millrace", "Jonas Thrale"), ("Harbour", "Imke Soto"), ("Uplands", "Bryn Calloway"),
)  # fmt: skip
#: Accounts of the ledger beside the hire income and the bank, which take what the others leave.
_ACCOUNTS = (
    ("0500", "Laundry plant", 412_000.0), ("0520", "Vans", 138_500.0), ("1100", "Trade debtors", 96_240.0),
    ("1300", "Linen in stock", 184_900.0), ("2100", "Trade creditors", -58_310.0), ("2200", "Tax owed", -21_460.0),
    ("2800", "Bank loan", -240_000.0), ("3000", "Share capital", -300_000.0), ("3200", "Retained earnings", -205_700.0),
    ("5000", "Wages", 18_420.0), ("5100", "Water and power", 6_915.0), ("5200", "Detergent", 2_380.0),
    ("5300", "Fuel", 3_140.0), ("5900", "Rent", 4_800.0),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Customer:
    number: int
    name: str
    depot: str
    email: str
    discount: Decimal


@dataclass(frozen=True, slots=True)
class Pickup:
    ticket: str
    collected: date
    customer: Customer
    item: str
    pieces: int | None  # None: the depot wrote 'none'
    weight: float
    driver: str
    note: str | None


def rates() -> list[tuple[str, str, str, str]]:
    """Code, item, band and rate of every item, in the order of the rate card."""
    return list(_ITEMS)


def managers() -> list[tuple[str, str, str]]:
    """Depot, name and e-mail of every manager."""
    return [(depot, name, f"{name.split()[0].lower()}@{depot.lower()}.larkfold.example") for depot, name in _MANAGERS]


#: Lines of the statement of position: name, kind, category, sign, and the accounts that belong to it.
_POSITION: list[tuple[str, str, str, int, tuple[str, ...]]] = [
    ("Fixed assets", "heading", "", 1, ()),
    ("Laundry plant", "sum", "fixed", 1, ("0500",)),
    ("Vans", "sum", "fixed", 1, ("0520",)),
    ("Fixed assets in all", "subtotal", "fixed", 1, ()),
    ("Current assets", "heading", "", 1, ()),
    ("Linen in stock", "sum", "current", 1, ("1300",)),
    ("Owed by customers", "sum", "current", 1, ("1100",)),
    ("Bank", "sum", "current", 1, ("1200",)),
    ("Current assets in all", "subtotal", "current", 1, ()),
    ("Assets", "total", "", 1, ()),
    ("", "blank", "", 1, ()),
    ("Owed to others", "heading", "", 1, ()),
    ("Suppliers", "sum", "owed", -1, ("2100",)),
    ("Tax", "sum", "owed", -1, ("2200",)),
    ("Bank loan", "sum", "owed", -1, ("2800",)),
    ("Owed to others in all", "subtotal", "owed", -1, ()),
    ("Owners", "heading", "", 1, ()),
    ("Share capital", "sum", "owners", -1, ("3000",)),
    ("Earnings kept", "sum", "owners", -1, ("3200",)),
    ("Result of the month", "sum", "owners", -1, ("4000", "5000", "5100", "5200", "5300", "5900")),
    ("Owners in all", "subtotal", "owners", -1, ()),
    ("Owed and owned", "total", "", 1, ()),
]


def position_lines() -> list[tuple[str, str, str, str, str]]:
    """Line, order, kind, category and sign of every line of the statement of position."""
    return [
        (name, str(10 * number), kind, category, str(sign) if kind == "sum" else "")
        for number, (name, kind, category, sign, _) in enumerate(_POSITION, start=1)
    ]


def position_accounts() -> list[tuple[str, str]]:
    """Every account with its line."""
    return sorted((account, name) for name, _, _, _, accounts in _POSITION for account in accounts)


def customers() -> list[Customer]:
    """Forty customers, each with a depot and a discount."""
    rng = random.Random(f"{_SEED} customers")
    made = []
    for index, name in enumerate(_HOUSES):
        depot = DEPOTS[index % len(DEPOTS)]
        slug = "".join(letter for letter in name.lower() if letter.isalpha())
        discount = Decimal(rng.choice(("0", "0", "0", "0.025", "0.05", "0.075")))
        made.append(Customer(1001 + index, name, depot, f"office@{slug}.example", discount))
    return made


def pickups(period: str, depot: str, rows: int | None = None) -> list[Pickup]:
    """A month's pickups of a depot by date; `rows` scales the whole month to this many over all depots."""
    rng = random.Random(f"{_SEED} {period} {depot}")
    year, month = (int(part) for part in period.split("-"))
    usual = _MONTHLY[depot]
    count = rng.randint(int(usual * 0.97), int(usual * 1.04))
    if rows is not None:
        count = max(1, round(rows * usual / sum(_MONTHLY.values())))
    days = sorted(rng.randint(1, monthrange(year, month)[1]) for _ in range(count))
    own = [customer for customer in customers() if customer.depot == depot]
    made = []
    for number, day in enumerate(days, start=1):
        _, item, band, _ = rng.choices(_ITEMS, weights=(9, 8, 9, 5, 8, 7, 3, 4, 6, 3, 4, 3, 2))[0]
        pieces = max(1, round(rng.lognormvariate(3.4, 0.7)))
        weight = round(pieces * _WEIGHTS[band] * rng.uniform(0.9, 1.15), 1)
        forgotten = depot == "Millrace" and rng.random() < 0.011
        note = rng.choice(_NOTES) if rng.random() < 0.06 else None
        ticket = f"{depot[0]}{period[2:4]}{period[5:]}-{number:04d}"
        made.append(
            Pickup(
                ticket, date(year, month, day), rng.choice(own), item, None if forgotten else pieces,
                0.0 if forgotten else weight, rng.choice(_DRIVERS[depot]), note,
            )
        )  # fmt: skip
    return made


def charge(pickup: Pickup) -> Decimal:
    """Pieces times rate less discount, rounded half up to the penny."""
    rate = next(Decimal(rate) for _, item, _, rate in _ITEMS if item == pickup.item)
    full = Decimal(pickup.pieces or 0) * rate * (1 - pickup.customer.discount)
    return full.quantize(Decimal("0.01"), rounding=ROUND_HALF_UP)


def ledger(period: str, rows: int | None = None) -> list[tuple[str, str, Decimal]]:
    """Account, name and balance; credits are negative, and the whole adds up to nothing."""
    rng = random.Random(f"{_SEED} ledger {period}")
    income = sum((charge(pickup) for depot in DEPOTS for pickup in pickups(period, depot, rows)), Decimal(0))
    lines = [
        (number, name, Decimal(f"{amount * rng.uniform(0.96, 1.05):.2f}") if amount else Decimal(0))
        for number, name, amount in _ACCOUNTS
    ]
    lines.append(("4000", "Linen hire and laundry", -income))
    bank = -sum((amount for _, _, amount in lines), Decimal(0))
    lines.append(("1200", "Bank", bank))
    return sorted(lines)
