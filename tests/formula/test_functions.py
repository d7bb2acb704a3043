"""Functions family by family, one case a line: formula and value. Each family says where its expectations come from."""

from __future__ import annotations

import pytest

from tinquire.cells import CellError
from worlds import value

DIV0, VALUE, REF, NAME, NUM, NA, NULL, CALC = (
    CellError.DIV0, CellError.VALUE, CellError.REF, CellError.NAME, CellError.NUM, CellError.NA, CellError.NULL, CellError.CALC,
)  # fmt: skip

CELLS = {
    "A1": 1.0, "A2": 2.0, "A3": 3.0, "A4": None, "A5": "5", "A6": True, "A7": "tin",
    "B1": "bed", "B2": "Bath", "B3": "bed", "B4": "table", "C1": 10.0, "C2": 20.0, "C3": 30.0, "C4": 40.0,
    "D1": DIV0, "E1": 46296.0, "F1": "1,234.5", "F2": "2026-10-01", "G1": "", "H1": 0.0,
    "J1": "Depot", "K1": "Pieces", "L1": "Rate", "J2": "Harbour", "K2": 4.0, "L2": 1.5, "J3": "Millrace", "K3": 6.0, "L3": 2.0,
    "J4": "Harbour", "K4": 8.0, "L4": 1.0, "J5": "Uplands", "K5": None, "L5": 3.0,
    "N1": "Depot", "O1": "Pieces", "N2": "Harbour", "O2": ">5",
}  # fmt: skip

#: Definitions of the functions (18.17.7), identities.
ROUNDING = """
CEILING(2.5,1)          | 3
CEILING(-2.5,-2)        | -4
CEILING(-2.5,2)         | -2
CEILING(1.5,0.1)        | 1.5
CEILING(0.234,0.01)     | 0.24
CEILING(2.5,-2)         | #NUM!
CEILING(7,0)            | 0
CEILING("x",1)          | #VALUE!
FLOOR(2.5,1)            | 2
FLOOR(-2.5,-2)          | -2
FLOOR(-2.5,2)           | -4
FLOOR(2.5,-2)           | #NUM!
FLOOR(1.5,0.1)          | 1.5
FLOOR(7,0)              | #DIV/0!
FLOOR(0,0)              | 0
CEILING.MATH(24.3,5)    | 25
CEILING.MATH(6.7)       | 7
CEILING.MATH(-8.1,2)    | -8
CEILING.MATH(-5.5,2,-1) | -6
FLOOR.MATH(24.3,5)      | 20
FLOOR.MATH(-8.1,2)      | -10
FLOOR.MATH(-5.5,2,-1)   | -4
CEILING.PRECISE(-4.1,-2)| -4
CEILING.PRECISE(4.1,0)  | 0
FLOOR.PRECISE(-3.2,-1)  | -4
ISO.CEILING(-4.3)       | -4
EVEN(3)                 | 4
EVEN(2)                 | 2
EVEN(-1)                | -2
EVEN(0)                 | 0
ODD(2)                  | 3
ODD(-2)                 | -3
ODD(0)                  | 1
ODD(1)                  | 1
TRUNC(8.9)              | 8
TRUNC(-8.9)             | -8
TRUNC(0.45,1)           | 0.4
TRUNC(1234.5,-2)        | 1200
TRUNC(2.3,1)            | 2.3
MROUND(10,3)            | 9
MROUND(-10,-3)          | -9
MROUND(1.3,0.2)         | 1.4
MROUND(5,-2)            | #NUM!
MROUND(5,0)             | 0
QUOTIENT(5,2)           | 2
QUOTIENT(-10,3)         | -3
QUOTIENT(1,0)           | #DIV/0!
ISEVEN(-1)              | FALSE
ISEVEN(2.5)             | TRUE
ISODD(-1)               | TRUE
ISEVEN("x")             | #VALUE!
SIGN(-0.0001)           | -1
SIGN(A4)                | 0
"""

WHOLE = """
FACT(0)                 | 1
FACT(1.9)               | 1
FACT(170)               | 7.257415615307994E306
FACT(171)               | #NUM!
FACT(-1)                | #NUM!
FACTDOUBLE(6)           | 48
FACTDOUBLE(0)           | 1
FACTDOUBLE(-1)          | 1
FACTDOUBLE(-2)          | #NUM!
COMBIN(8,0)             | 1
COMBIN(2,3)             | #NUM!
COMBIN(-2,1)            | #NUM!
COMBINA(10,3)           | 220
COMBINA(0,0)            | 1
PERMUT(3,2)             | 6
PERMUT(2,3)             | #NUM!
PERMUTATIONA(3,0)       | 1
GCD(5)                  | 5
GCD(0,7)                | 7
GCD(7.9,14)             | 7
GCD(-1)                 | #NUM!
LCM(5,2)                | 10
LCM(0,3)                | 0
MULTINOMIAL(2,2)        | 6
PRODUCT(A1:A7)          | 6
PRODUCT(A4)             | 0
PRODUCT(D1,2)           | #DIV/0!
SUMSQ(A1:A3)            | 14
SUMSQ("3",TRUE)         | 10
BASE(7,2)               | 111
BASE(255,16,4)          | 00FF
BASE(-1,2)              | #NUM!
BASE(5,1)               | #NUM!
DECIMAL("zz",36)        | 1295
DECIMAL("9",8)          | #NUM!
DECIMAL("",10)          | #NUM!
BIN2DEC("1100100")      | 100
BIN2DEC("1111111111")   | -1
BIN2DEC("2")            | #NUM!
BIN2HEX("11111011",4)   | 00FB
DEC2BIN(9)              | 1001
DEC2BIN(-100)           | 1110011100
DEC2BIN(512)            | #NUM!
DEC2BIN(9,2)            | #NUM!
DEC2HEX(-54)            | FFFFFFFFCA
DEC2HEX(28)             | 1C
DEC2OCT(58,3)           | 072
HEX2DEC("FFFFFFFF5B")   | -165
HEX2DEC("3DA408B9")     | 1034160313
HEX2BIN("B7")           | 10110111
HEX2BIN("FFF")          | #NUM!
OCT2DEC("54")           | 44
OCT2DEC("7777777533")   | -165
OCT2HEX("100",4)        | 0040
ROMAN(499)              | CDXCIX
ROMAN(499,1)            | LDVLIV
ROMAN(499,2)            | XDIX
ROMAN(499,3)            | VDIV
ROMAN(499,4)            | ID
ROMAN(0)                |
ROMAN(4000)             | #VALUE!
ROMAN(1999,FALSE)       | MIM
ARABIC("LVII")          | 57
ARABIC("-mmxxvi")       | -2026
ARABIC("IC")            | 99
ARABIC("Q")             | #VALUE!
SERIESSUM(2,0,2,{1,1,1})| 21
DELTA(1)                | 0
GESTEP(-4,-5)           | 1
BITAND(1,5)             | 1
BITAND(-1,5)            | #NUM!
BITLSHIFT(1,-1)         | 0
BITRSHIFT(4,54)         | #NUM!
"""

#: Values of the functions at places where they are known exactly.
ANGLES = """
SIN(0)                  | 0
SIN(2^27)               | #NUM!
COS(PI())               | -1
ASIN(2)                 | #NUM!
ACOS(-1)-PI()           | 0
ATAN2(1,0)              | 0
ATAN2(0,0)              | #DIV/0!
ATAN2(-1,0)-PI()        | 0
COT(0)                  | #DIV/0!
CSC(0)                  | #DIV/0!
ACOSH(0.5)              | #NUM!
ATANH(1)                | #NUM!
ACOTH(0.5)              | #NUM!
LN(0)                   | #NUM!
LN(-1)                  | #NUM!
LOG(8,2)                | 3
LOG(86,1)               | #DIV/0!
LOG(1000)               | 3
LOG(0)                  | #NUM!
LOG(0.5,-1)             | #NUM!
LOG10(86)               | 1.9344984512435677
SQRT(-1)                | #NUM!
SQRTPI(-1)              | #NUM!
EXP(710)                | #NUM!
POWER(0,0)              | #NUM!
POWER(0,-1)             | #DIV/0!
POWER(-8,1/3)           | #NUM!
POWER(5,2)              | 25
DEGREES(PI()/2)         | 90
RADIANS(270)-PI()*1.5   | 0
SECH(0)                 | 1
PI()                    | 3.141592653589793
"""

#: Small samples worked out by hand.
SAMPLES = """
MEDIAN(1,2,3,4)         | 2.5
MEDIAN(A4)              | #NUM!
MEDIAN(A1:A7)           | 2
MEDIAN(D1,1)            | #DIV/0!
MODE(1,2,2,3,3)         | 2
MODE(1,2,3)             | #N/A
STDEV(5)                | #DIV/0!
STDEVP(5)               | 0
STDEV(1,3)              | 1.4142135623730951
VAR(1,3)                | 2
VARP(1,3)               | 1
VARA(1,3,TRUE)          | 1.3333333333333333
AVERAGEA(A1:A7)         | 1.1666666666666667
MAXA(A4:A7)             | 1
MINA(A1:A7)             | 0
AVEDEV(1,3)             | 1
DEVSQ(1,3)              | 2
GEOMEAN(4,9)            | 6
GEOMEAN(0,9)            | #NUM!
HARMEAN(1,3)            | 1.5
HARMEAN(-1)             | #NUM!
SKEW(1,2)               | #DIV/0!
KURT(1,2,3)             | #DIV/0!
KURT(5,5,5,5)           | #DIV/0!
LARGE(A1:A3,1)          | 3
LARGE(A1:A3,4)          | #NUM!
LARGE(A1:A3,0)          | #NUM!
SMALL(A1:A7,2)          | 2
SMALL(D1:D1,1)          | #DIV/0!
PERCENTILE(A1:A3,0.5)   | 2
PERCENTILE(A1:A3,1.1)   | #NUM!
PERCENTILE(A4:A4,0.5)   | #NUM!
PERCENTILE.EXC(A1:A3,0.25) | 1
PERCENTILE.EXC(A1:A3,0.1)  | #NUM!
QUARTILE(C1:C4,1)       | 17.5
QUARTILE(C1:C4,5)       | #NUM!
QUARTILE.EXC(C1:C4,1)   | 12.5
PERCENTRANK(C1:C4,25)   | 0.5
PERCENTRANK(C1:C4,50)   | #N/A
PERCENTRANK(C1:C4,20,2) | 0.33
RANK(20,C1:C4)          | 3
RANK(20,C1:C4,1)        | 2
RANK(25,C1:C4)          | #N/A
RANK.AVG(5,{5,5,5})     | 2
TRIMMEAN({1,2,3,4},0.5) | 2.5
TRIMMEAN({1,2},1)       | #NUM!
COUNTBLANK(A1:A7)       | 1
COUNTBLANK(G1:G3)       | 3
CORREL({1,2},{2,4})     | 1
CORREL({1,2},{1,1})     | #DIV/0!
CORREL({1,2},{1,2,3})   | #N/A
SLOPE({1,2},{1,1})      | #DIV/0!
INTERCEPT({2,4},{1,2})  | 0
FORECAST(10,{2,4},{1,2})| 20
RSQ({1,2,3},{2,4,6})    | 1
STEYX({1,2},{1,2})      | #DIV/0!
COVAR({1,3},{2,6})      | 2
COVARIANCE.S({1,3},{2,6}) | 4
SUMX2MY2({2},{1})       | 3
SUMXMY2({1,2},{1})      | #N/A
MDETERM({1,2;3,4})      | -2
MDETERM({1,2,3;4,5,6})  | #VALUE!
MINVERSE({1,1;1,1})     | #NUM!
MMULT({1,2},{3;4})      | 11
MMULT({1,2},{3,4})      | #VALUE!
SUM(MUNIT(4))           | 4
MUNIT(0)                | #VALUE!
SUM(LINEST({1,2,3}))    | 1
INDEX(LINEST({2;4;7},{1;2;3},TRUE,TRUE),4,2) | 1
SUM(TREND({1,2,3},{1,2,3},{4})) | 4
SUM(FREQUENCY({1,2,3},{2})) | 3
PROB({1,2},{0.5,0.6},1) | #NUM!
PROB({1,2},{0.4,0.6},2) | 0.6
"""

#: Borders of the distributions' domains; their values are compared with SciPy's below.
DISTRIBUTIONS = """
NORM.DIST(1,0,0,TRUE)   | #NUM!
NORM.INV(0,0,1)         | #NUM!
NORM.INV(1,0,1)         | #NUM!
LOGNORM.DIST(0,0,1,TRUE)| #NUM!
BINOM.DIST(11,10,0.5,TRUE) | #NUM!
BINOM.DIST(0,0,0.5,FALSE)  | 1
POISSON(-1,2,TRUE)      | #NUM!
EXPONDIST(-1,1,TRUE)    | #NUM!
GAMMA(0)                | #NUM!
GAMMA(-1)               | #NUM!
GAMMA(0.5)^2-PI()       | 0
GAMMALN(0)              | #NUM!
BETADIST(2,1,1)         | #NUM!
CHIDIST(-1,1)           | #NUM!
FDIST(-1,1,1)           | #NUM!
TDIST(-1,1,1)           | #NUM!
TDIST(1,1,3)            | #NUM!
T.DIST.2T(1,1)          | 0.5
CONFIDENCE(0,1,1)       | #NUM!
CONFIDENCE.T(0.05,1,1)  | #DIV/0!
STANDARDIZE(1,0,0)      | #NUM!
FISHER(1)               | #NUM!
ERF(0)                  | 0
ERF(-1)+ERF(1)          | 0
WEIBULL(-1,1,1,TRUE)    | #NUM!
HYPGEOMDIST(5,4,8,20)   | #NUM!
NEGBINOMDIST(1,0,0.5)   | #NUM!
CRITBINOM(10,0,0.5)     | #NUM!
"""

#: Closed forms; day counts and prices by the definitions of 18.17.7.
MONEY = """
FV(0,12,-100)           | 1200
FV(0.1,2,-100,0,1)      | 231
PV(0,12,-100)           | 1200
PV(0.1,1,-110)          | 100
PMT(0,10,1000)          | -100
PMT(0.1,0,1000)         | #NUM!
PMT(0.1,1,1000)         | -1100
IPMT(0.1,1,3,8000)      | -800
IPMT(0.1,4,3,8000)      | #NUM!
IPMT(0.1,1,3,8000,0,1)  | 0
IPMT(0.1,2,3,1000)+PPMT(0.1,2,3,1000)-PMT(0.1,3,1000) | 0
NPER(0,-100,1000)       | 10
NPER(0.01,0,1000)       | #NUM!
RATE(1,-110,100)        | 0.1
CUMIPMT(0.1,2,0,1,1,0)  | #NUM!
CUMPRINC(0.1,2,100,1,2,0) | -100
EFFECT(0,4)             | #NUM!
NOMINAL(EFFECT(0.05,12),12) | 0.05
RRI(2,100,121)          | 0.1
PDURATION(0,1,2)        | #DIV/0!
SLN(100,10,0)           | #DIV/0!
SYD(100,10,5,6)         | #NUM!
DB(100,10,0,1)          | #NUM!
DDB(2400,300,10,1)      | 480
DDB(2400,300,10,11)     | #NUM!
VDB(2400,300,10,0,10)   | 2100
VDB(2400,300,10,3,2)    | #NUM!
NPV(0.1,110,121)        | 200
NPV(0.1)                | #VALUE!
IRR({-100,110})         | 0.1
IRR({100,110})          | #NUM!
IRR({-100,0,121})       | 0.1
MIRR({-100,121},0.1,0.1)| 0.21
MIRR({100,121},0.1,0.1) | #DIV/0!
XNPV(0.1,{-100,110},{40000,40365}) | 0
XNPV(0.1,{1,2},{2,1})   | #NUM!
XIRR({-100,110},{40000,40365}) | 0.1
XIRR({100,110},{40000,40365}) | #NUM!
FVSCHEDULE(100,{0.1,0.1}) | 121
DOLLARDE(1.1,32)        | 1.3125
DOLLARDE(1.1,0)         | #NUM!
DOLLARFR(1.3125,32)     | 1.1
ISPMT(0.1,0,2,100)      | -10
COUPNUM(DATE(2026,1,1),DATE(2027,1,1),2) | 2
COUPNUM(DATE(2027,1,1),DATE(2026,1,1),2) | #NUM!
COUPDAYS(DATE(2026,2,1),DATE(2027,1,1),2,0) | 180
COUPDAYBS(DATE(2026,1,1),DATE(2027,1,1),2)  | 0
COUPNCD(DATE(2026,2,28),DATE(2027,8,31),2)-DATE(2026,8,31) | 0
COUPPCD(DATE(2026,3,1),DATE(2027,8,31),2)-DATE(2026,2,28)  | 0
COUPNUM(1,2,3)          | #NUM!
PRICE(DATE(2026,1,1),DATE(2031,1,1),0.05,0.05,100,1) | 100
YIELD(DATE(2026,1,1),DATE(2031,1,1),0.05,100,100,1)  | 0.05
DURATION(DATE(2026,1,1),DATE(2027,1,1),0,0.05,1)     | 1
DISC(DATE(2026,1,1),DATE(2027,1,1),95,100)           | 0.05
TBILLPRICE(DATE(2026,1,1),DATE(2026,7,1),0)          | #NUM!
PRICE(46091,49217,0.04,0.045,100,2,1)-ODDFPRICE(46091,49217,45930,46112,0.04,0.045,100,2,1) | 0
PRICE(46091,49217,0.04,0.045,100,2)=ODDFPRICE(46091,49217,45930,46112,0.04,0.045,100,2) | TRUE
PRICE(46152,46295,0.04,0.045,100,2)=ODDLPRICE(46152,46295,46112,0.04,0.045,100,2) | TRUE
ROUND(ODDFYIELD(46091,49217,45992,46295,0.04,ODDFPRICE(46091,49217,45992,46295,0.04,0.05,100,4,1),100,4,1),9) | 0.05
ROUND(ODDLYIELD(46091,46295,46022,0.04,ODDLPRICE(46091,46295,46022,0.04,0.05,100,1,3),100,1,3),9) | 0.05
ODDFPRICE(46091,49217,46092,46295,0.04,0.05,100,2)    | #NUM!
ODDLPRICE(46091,46295,46091,0.04,0.05,100,2)          | #NUM!
ODDLYIELD(46091,46295,46022,0.04,0,100,2)             | #NUM!
TBILLPRICE(DATE(2026,1,1),DATE(2027,7,1),0.1)        | #NUM!
ACCRINTM(DATE(2026,1,1),DATE(2027,1,1),0.1,1000)     | 100
AMORLINC(1000,DATE(2026,1,1),DATE(2026,12,31),0,20,0.1) | 0
"""

#: The calendar; ISO 8601 weeks; the definitions of 18.17.7 for the rest.
DAYS = """
EDATE(DATE(2024,1,31),1)-DATE(2024,2,29) | 0
EDATE(DATE(2026,3,31),-1)-DATE(2026,2,28)| 0
EDATE(-1,1)             | #NUM!
EDATE(1,-12)            | #NUM!
EOMONTH(DATE(2026,1,15),0)-DATE(2026,1,31)  | 0
EOMONTH(DATE(2026,1,15),-2)-DATE(2025,11,30)| 0
WEEKDAY(DATE(2026,10,31),2)  | 6
WEEKDAY(DATE(2026,10,31),3)  | 5
WEEKDAY(DATE(2026,10,31),11) | 6
WEEKDAY(DATE(2026,10,31),17) | 7
WEEKDAY(DATE(2026,10,31),4)  | #NUM!
WEEKDAY(1)              | 1
WEEKDAY(60)             | 4
WEEKNUM(DATE(2026,1,1)) | 1
WEEKNUM(DATE(2026,1,4)) | 2
WEEKNUM(DATE(2026,1,4),2)    | 1
WEEKNUM(DATE(2027,1,1),21)   | 53
ISOWEEKNUM(DATE(2024,12,30)) | 1
DATEDIF(DATE(2026,1,31),DATE(2026,3,1),"M")  | 1
DATEDIF(DATE(2026,1,31),DATE(2026,3,1),"MD") | 1
DATEDIF(DATE(2024,2,29),DATE(2026,2,28),"Y") | 1
DATEDIF(DATE(2025,12,31),DATE(2026,1,1),"YD")| 1
DATEDIF(DATE(2025,3,1),DATE(2026,1,1),"YM")  | 10
DATEDIF(2,1,"D")        | #NUM!
DATEDIF(1,2,"Q")        | #NUM!
DAYS("2026-10-31","2026-10-01") | 30
DAYS360(DATE(2026,1,31),DATE(2026,2,28)) | 28
DAYS360(DATE(2026,1,31),DATE(2026,3,31),TRUE) | 60
DAYS360(DATE(2026,2,28),DATE(2026,3,31)) | 30
YEARFRAC(DATE(2026,1,1),DATE(2027,1,1),1) | 1
YEARFRAC(DATE(2026,1,1),DATE(2026,1,31),2)| 0.08333333333333333
YEARFRAC(DATE(2026,1,1),DATE(2027,1,1),3) | 1
YEARFRAC(DATE(2026,1,30),DATE(2026,3,31),4) | 0.16666666666666666
YEARFRAC(1,2,5)         | #NUM!
NETWORKDAYS(DATE(2026,10,31),DATE(2026,11,1)) | 0
NETWORKDAYS(DATE(2026,11,2),DATE(2026,10,30)) | -2
NETWORKDAYS(DATE(2026,10,1),DATE(2026,10,2),DATE(2026,10,2)) | 1
NETWORKDAYS.INTL(DATE(2026,10,31),DATE(2026,11,1),7)  | 1
NETWORKDAYS.INTL(1,2,"1111111") | 0
NETWORKDAYS.INTL(1,2,99)| #NUM!
WORKDAY(DATE(2026,10,31),1)-DATE(2026,11,2) | 0
WORKDAY(DATE(2026,11,2),-1)-DATE(2026,10,30)| 0
WORKDAY(DATE(2026,10,30),1,DATE(2026,11,2))-DATE(2026,11,3) | 0
WORKDAY.INTL(DATE(2026,10,30),1,"0000000")-DATE(2026,10,31) | 0
HOUR(0.5)               | 12
HOUR("23:59:59")        | 23
MINUTE(0.99999)         | 59
SECOND(1/86400)         | 1
HOUR(-1)                | #NUM!
TIME(25,0,0)            | 0.041666666666666664
TIME(0,-1,0)            | #NUM!
TIMEVALUE("x")          | #VALUE!
DATEVALUE("2026-10-31")-DATE(2026,10,31) | 0
DATEVALUE("31.10.2026") | #VALUE!
DATEVALUE("5")          | #VALUE!
TODAY()                 | 46320
NOW()                   | 46320.5
EASTERSUNDAY(2027)-DATE(2027,3,28) | 0
EASTERSUNDAY(1500)      | #NUM!
"""

TEXTS = """
FIND("i","tin",1)       | 2
FIND("I","tin")         | #VALUE!
FIND("","tin")          | 1
FIND("t","tin",5)       | #VALUE!
SEARCH("I","tin")       | 2
SEARCH("?n","tin")      | 2
SEARCH("~?","a?")       | 2
SEARCH("t*n","a tin")   | 3
SEARCH("x","tin")       | #VALUE!
SUBSTITUTE("aaa","a","b",2) | aba
SUBSTITUTE("aaa","a","b",4) | aaa
SUBSTITUTE("aaa","a","b",0) | #VALUE!
SUBSTITUTE("aaa","","b")    | aaa
REPLACE("tin",2,0,"w")  | twin
REPLACE("tin",0,1,"w")  | #VALUE!
REPT("ab",2.9)          | abab
REPT("x",-1)            | #VALUE!
REPT("x",40000)         | #VALUE!
EXACT("a","a")          | TRUE
EXACT("a","A")          | FALSE
BAHTTEXT(0) | ศูนย์บาทถ้วน
BAHTTEXT(-0.25) | ลบยี่สิบห้าสตางค์
BAHTTEXT(1000011.01) | หนึ่งล้านสิบเอ็ดบาทหนึ่งสตางค์
BAHTTEXT(20600) | สองหมื่นหกร้อยบาทถ้วน
BAHTTEXT(1E+15) | #VALUE!
TEXT("12","0.00") | 12.00
TEXT("twelve","0.00") | twelve
PROPER("o'neill mill-race 2nd") | O'Neill Mill-Race 2Nd
CHAR(0)                 | #VALUE!
CHAR(128)               | €
CODE("")                | #VALUE!
CODE("€")               | 128
UNICHAR(0)              | #VALUE!
UNICODE("")             | #VALUE!
VALUE("5%")             | 0.05
VALUE("x")              | #VALUE!
VALUE(TRUE)             | #VALUE!
VALUE(A4)               | 0
NUMBERVALUE("1.234,5",",",".") | 1234.5
NUMBERVALUE("3.5%")     | 0.035
NUMBERVALUE("9%%")      | 0.0009
NUMBERVALUE("")         | 0
NUMBERVALUE("1,2.3,4")  | #VALUE!
FIXED(1234.567,-2)      | 1,200
FIXED(0.5,0)            | 1
FIXED(1234.5,1,TRUE)    | 1234.5
DOLLAR(0)               | $0.00
T(1)                    |
T(D1)                   | #DIV/0!
CONCAT(A1:A3,"x")       | 123x
CONCAT(D1)              | #DIV/0!
TEXTJOIN("-",TRUE,A1:A5)| 1-2-3-5
TEXTJOIN("-",FALSE,A3:A5) | 3--5
TEXTJOIN({",",";"},TRUE,1,2,3) | 1,2;3
TEXTBEFORE("a-b","-")   | a
TEXTBEFORE("a-b","x")   | #N/A
TEXTBEFORE("a-b","x",1,0,1) | a-b
TEXTBEFORE("a-b","x",1,0,0,"none") | none
TEXTBEFORE("aXbxc","x",2,1) | aXb
TEXTAFTER("a-b-c","-",2)| c
TEXTAFTER("a-b-c","-",-1) | c
TEXTAFTER("a-b","-",0)  | #VALUE!
COLUMNS(TEXTSPLIT("a,b,c",",")) | 3
ROWS(TEXTSPLIT("a;b",,";")) | 2
INDEX(TEXTSPLIT("a,b;c",",",";"),2,2) | #N/A
INDEX(TEXTSPLIT("a,,b",",",,TRUE),2)  | b
ARRAYTOTEXT({1,2;3,4})  | 1, 2, 3, 4
VALUETOTEXT(5)          | 5
ENCODEURL("a/b?c")      | a%2Fb%3Fc
ASC("Ａ１")             | A1
LENB("tin")             | 3
MIDB("linen",2,2)       | in
"""

ENGINEERING = """
COMPLEX(0,1)            | i
COMPLEX(3,-4,"j")       | 3-4j
COMPLEX(1,1,"k")        | #VALUE!
COMPLEX(0,0)            | 0
IMREAL("4i")            | 0
IMREAL("x")             | #NUM!
IMAGINARY("-i")         | -1
IMAGINARY(5)            | 0
IMABS("3+4i")           | 5
IMARGUMENT(0)           | #DIV/0!
IMSUM("1+2i","3-2i")    | 4
IMSUM("1+i","1+j")      | #VALUE!
IMSUB("i","i")          | 0
IMPRODUCT("1+2i",30)    | 30+60i
IMDIV("1","0")          | #NUM!
IMDIV("4+2i","2")       | 2+i
IMPOWER("i",2)          | -1
IMPOWER(0,0)            | #NUM!
IMSQRT("-4")            | 2i
IMLN(0)                 | #NUM!
IMCONJUGATE("1-i")      | 1+i
IMTAN(0)                | 0
BESSELJ(1,-1)           | #NUM!
BESSELK(0,1)            | #NUM!
BESSELI(0,0)            | 1
CONVERT(1,"lbm","kg")   | 0.45359237
CONVERT(1,"mi","km")    | 1.609344
CONVERT(100,"C","K")    | 373.15
CONVERT(0,"K","C")      | -273.15
CONVERT(1,"hr","s")     | 3600
CONVERT(1,"kibyte","byte") | 1024
CONVERT(1,"m","s")      | #N/A
CONVERT(1,"nothing","s")| #N/A
CONVERT(1,"gal","l")    | 3.785411784
CONVERT(2.5,"ft","ft")  | 2.5
CONVERT(1,"km/h","m/s") | 0.2777777777777778
CONVERT(1,"ha","m2")    | 10000
CONVERT(1,"Wh","J")     | 3600
"""

PLACES = """
ROW()                   | 9
ROW(C5)                 | 5
COLUMN()                | 17
COLUMN(C5:D9)           | 3
ROWS(C5:D9)             | 5
AREAS(A1)               | 1
CHOOSE(3,"a","b")       | #VALUE!
CHOOSE(1.9,"a",1/0)     | a
SUM(CHOOSE(2,A1:A2,C1:C2)) | 30
SUM(OFFSET(A1,0,2,2,1)) | 30
OFFSET(A1,-1,0)         | #REF!
OFFSET(A1,0,0,0,1)      | #REF!
SUM(OFFSET(A3,0,0,-3,1))| 6
INDIRECT("C2")          | 20
INDIRECT("'Other sheet'!A1") | 7
SUM(INDIRECT("C1:C"&A3))| 60
INDIRECT("nothing here")| #REF!
INDIRECT("R2C3",FALSE)  | 20
INDIRECT("R[-8]C3",FALSE) | 10
ADDRESS(2,3)            | $C$2
ADDRESS(2,3,4)          | C2
ADDRESS(2,3,1,FALSE)    | R2C3
ADDRESS(2,3,4,FALSE)    | R[2]C[3]
ADDRESS(2,3,1,TRUE,"My sheet") | 'My sheet'!$C$2
ADDRESS(0,3)            | #VALUE!
HYPERLINK("https://example.com") | https://example.com
LOOKUP(25,C1:C4)        | 20
LOOKUP(5,C1:C4)         | #N/A
LOOKUP(25,C1:C4,B1:B4)  | Bath
HLOOKUP("Pieces",J1:L5,3,FALSE) | 6
HLOOKUP("Pieces",J1:L5,9,FALSE) | #REF!
HLOOKUP("nix",J1:L5,2,FALSE)    | #N/A
XLOOKUP("harbour",J2:J5,K2:K5)  | 4
XLOOKUP("harbour",J2:J5,K2:K5,,0,-1) | 8
XLOOKUP("nix",J2:J5,K2:K5,"none")    | none
XLOOKUP("nix",J2:J5,K2:K5)      | #N/A
XLOOKUP("U*",J2:J5,L2:L5,,2)    | 3
XLOOKUP(25,C1:C4,B1:B4,,-1)     | Bath
XLOOKUP(25,C1:C4,B1:B4,,1)      | bed
SUM(XLOOKUP("Millrace",J2:J5,K2:L5)) | 8
XLOOKUP(1,C1:C4,A1:A2)  | #VALUE!
XMATCH(20,C1:C4)        | 2
XMATCH(20,C1:C4,3)      | #VALUE!
XMATCH("b*",B1:B4,2,-1) | 3
XMATCH(5,C1:C4,-1)      | #N/A
CELL("row",C5)          | 5
CELL("contents",C2)     | 20
CELL("type",B1)         | l
CELL("filename")        | #N/A
SHEET()                 | 1
SHEETS()                | 2
ISREF(5)                | FALSE
TYPE(1)                 | 1
TYPE(TRUE)              | 4
TYPE(D1)                | 16
TYPE({1,2})             | 64
TYPE(LAMBDA(x,x))       | 128
ERROR.TYPE(D1)          | 2
ERROR.TYPE(1)           | #N/A
N(A5)                   | 0
N(D1)                   | #DIV/0!
ISERR(D1)               | TRUE
ISNA(NA())              | TRUE
ISLOGICAL(A6)           | TRUE
ISNONTEXT(A4)           | TRUE
INFO("numfile")         | 2
INFO("system")          | #N/A
"""

CRITERIA = """
AVERAGEIF(C1:C4,">15")  | 30
AVERAGEIF(C1:C4,">99")  | #DIV/0!
AVERAGEIF(B1:B4,"bed",C1) | 20
SUMIF(B1:B4,"bed",C1)   | 40
SUMIF(B1:B4,"b*",C1:C2) | 60
MAXIFS(C1:C4,B1:B4,"bed") | 30
MINIFS(C1:C4,B1:B4,"nix") | 0
MAXIFS(C1:C4,B1:B3,"bed") | #VALUE!
COUNTIFS(B:B,"bed",C:C,">10") | 1
AGGREGATE(4,6,C1:C4)    | 40
AGGREGATE(9,6,C1:D4)    | 100
AGGREGATE(9,4,C1:D4)    | #DIV/0!
AGGREGATE(14,6,C1:D4,2) | 30
AGGREGATE(12,4,C1:C4)   | 25
AGGREGATE(20,4,C1:C4)   | #VALUE!
SUBTOTAL(6,A1:A3)       | 6
SUBTOTAL(8,A1:A3)       | 0.816496580927726
SUBTOTAL(11,A1:A3)      | 0.6666666666666666
DSUM(J1:L5,"Pieces",N1:N2)    | 12
DSUM(J1:L5,"pieces",N1:O2)    | 8
DSUM(J1:L5,2,N1:N2)     | 12
DSUM(J1:L5,"Nothing",N1:N2)   | #VALUE!
DCOUNT(J1:L5,"Pieces",N1:N1)  | 0
DCOUNT(J1:L5,,N1:N2)    | 2
DCOUNTA(J1:L5,"Depot",O1:O2)  | 2
DAVERAGE(J1:L5,"Rate",N1:N2)  | 1.25
DGET(J1:L5,"Pieces",N1:O2)    | 8
DGET(J1:L5,"Pieces",N1:N2)    | #NUM!
DMAX(J1:L5,"Rate",N1:N2)      | 1.5
DSTDEV(J1:L5,"Rate",N1:O2)    | #DIV/0!
"""

ARRAYS = """
SUM(FILTER(C1:C4,B1:B4="bed")) | 40
FILTER(C1:C4,B1:B4="nix")      | #CALC!
FILTER(C1:C4,B1:B4="nix","none") | none
FILTER(C1:C4,A1:A3)     | #VALUE!
SUM(FILTER({1,2;3,4},{TRUE,FALSE})) | 4
TEXTJOIN(",",TRUE,SORT(B1:B4)) | Bath,bed,bed,table
TEXTJOIN(",",TRUE,SORT({3,1,2},1,-1,TRUE)) | 3,2,1
TEXTJOIN(",",TRUE,SORT(A1:A7)) | 1,2,3,5,tin,TRUE
SORT({1;2},3)           | #VALUE!
SORT({1;2},1,0)         | #VALUE!
TEXTJOIN(",",TRUE,SORTBY(A1:A3,C1:C3,-1)) | 3,2,1
SORTBY(A1:A3,C1:C2)     | #VALUE!
TEXTJOIN(",",TRUE,UNIQUE(B1:B4)) | bed,Bath,table
TEXTJOIN(",",TRUE,UNIQUE(B1:B4,FALSE,TRUE)) | Bath,table
COLUMNS(UNIQUE({1,1,2},TRUE)) | 2
SUM(TAKE(C1:C4,2))      | 30
SUM(TAKE({1,2;3,4},,-1))| 6
TAKE(C1:C4,0)           | #CALC!
SUM(DROP(C1:C4,-1))     | 60
DROP(C1:C4,4)           | #CALC!
SUM(CHOOSEROWS(C1:C4,-1,1)) | 50
CHOOSEROWS(C1:C4,5)     | #VALUE!
SUM(CHOOSECOLS({1,2,3},{1,3})) | 4
ROWS(EXPAND(C1:C2,4))   | 4
EXPAND(C1:C4,2)         | #VALUE!
SUM(EXPAND(C1:C2,4,1,0))| 30
ROWS(VSTACK(A1:A3,C1:C4)) | 7
ISNA(INDEX(VSTACK({1,2},3),2,2)) | TRUE
COLUMNS(HSTACK(A1:A3,C1:C4)) | 2
TEXTJOIN(",",TRUE,TOCOL({1,2;3,4}))      | 1,2,3,4
TEXTJOIN(",",TRUE,TOROW({1,2;3,4},0,TRUE)) | 1,3,2,4
ROWS(TOCOL(A1:A7,1))    | 6
ROWS(TOCOL(A1:D1,2))    | 3
TEXTJOIN(",",FALSE,WRAPROWS({1,2,3,4},2)) | 1,2,3,4
ISNA(INDEX(WRAPCOLS({1,2,3},2),2,2)) | TRUE
WRAPROWS({1,2;3,4},2)   | #VALUE!
WRAPROWS({1,2},0)       | #NUM!
SUM(SEQUENCE(3,2))      | 21
SEQUENCE(0)             | #CALC!
SEQUENCE(100000,100000) | #NUM!
SUM(TRANSPOSE({1,2;3,4})*{1,2;3,4}) | 29
SUM(RANDARRAY(2,2,5,5,TRUE)) | 20
RANDBETWEEN(5,4)        | #NUM!
"""

CHOICES = """
IFS(FALSE,1,TRUE,2)     | 2
IFS(FALSE,1)            | #N/A
IFS("x",1)              | #VALUE!
SWITCH("b","a",1,"B",2) | 2
SWITCH(9,1,2)           | #N/A
SWITCH(9,1,2,"other")   | other
IFNA(D1,1)              | #DIV/0!
IFNA(NA(),1)            | 1
XOR(TRUE,TRUE)          | FALSE
XOR(A7:A7)              | #VALUE!
TRUE()                  | TRUE
LET(x,2,y,x*3,x+y)      | 8
LET(x,2)                | #VALUE!
LET(A1,2,A1)            | #NAME?
LET(x,A1:A3,SUMPRODUCT(x*x)) | 14
LAMBDA(x,x+1)(4)        | 5
LAMBDA(x,x+1)           | #CALC!
LAMBDA(x,x)(1,2)        | #VALUE!
LET(f,LAMBDA(n,IF(n<2,1,n*f(n-1))),f(5)) | #NAME?
LET(f,LAMBDA(g,n,IF(n<2,1,n*g(g,n-1))),f(f,5)) | 120
LET(f,LAMBDA(g,n,g(g,n+1)),f(f,1)) | #NUM!
SUM(MAP(A1:A3,C1:C3,LAMBDA(a,c,a*c))) | 140
MAP({1,2},{1},LAMBDA(a,b,a)) | #N/A
REDUCE(1,A1:A3,LAMBDA(p,x,p*x)) | 6
INDEX(SCAN("",{"a","b"},LAMBDA(t,x,t&x)),2) | ab
SUM(BYROW(A1:A3,LAMBDA(r,SUM(r)*2))) | 12
SUM(BYCOL({1,2;3,4},MAX)) | 7
SUM(MAKEARRAY(2,3,LAMBDA(r,c,r*c))) | 18
MAKEARRAY(0,1,LAMBDA(r,c,1)) | #VALUE!
LAMBDA(a,b,IF(ISOMITTED(b),a,b))(3)   | 3
LAMBDA(a,b,IF(ISOMITTED(b),a,b))(3,4) | 4
"""

#: Operators between references, and the newer signs (18.17.2.2).
REFERENCES = """
SUM((A1:A2,C1))         | 13
SUM((A1:A2,C1),(A3,C2)) | 36
COUNT((A1:A7,C1:C4))    | 7
A1:B3 B2:C2             | Bath
SUM(A1:C2 B1:C9)        | 30
A1:A2 C1:C2             | #NULL!
SUM(A1:INDEX(A1:A3,2))  | 3
SUM(INDEX(C1:C4,2):INDEX(C1:C4,3)) | 50
SUM(A1:A2:C2)           | 33
SUM(A1:1)               | #VALUE!
(A1,A2)+1               | #VALUE!
@{5,6}                  | 5
@A1:A3                  | #VALUE!
SUM('S:Other sheet'!A1) | 8
SUM('Other sheet:S'!A1) | #REF!
A1#                     | #REF!
_xlfn.SINGLE({7,8})     | 7
_xlfn._xlws.SORT({2;1}) | 1
_xlfn.LET(_xlpm.x,3,_xlpm.x*2) | 6
_xlfn.XLOOKUP(20,C1:C4,B1:B4) | Bath
"""

FAMILIES = {
    name: [line.rpartition("|")[::2] for line in text.strip().splitlines()]
    for name, text in list(globals().items())
    if name.isupper() and isinstance(text, str)
}
CASES = [(formula.strip(), expected.strip()) for cases in FAMILIES.values() for formula, expected in cases]


def _as_value(text):
    """What a line of a table states: a number, yes or no, an error value, or text."""
    errors = {error.text: error for error in CellError}
    if text in errors or text in ("TRUE", "FALSE"):
        return errors.get(text, text == "TRUE")
    try:
        return float(text)
    except ValueError:
        return text


@pytest.mark.parametrize(("formula", "expected"), CASES)
def test_value(formula, expected):
    found, wanted = value(formula, CELLS, at="Q9"), _as_value(expected)
    if isinstance(found, str) and not isinstance(wanted, str):
        wanted = expected  # digits that are text
    if isinstance(wanted, float) and isinstance(found, float):
        assert found == pytest.approx(wanted, rel=1e-9, abs=1e-7)
    else:
        assert found == wanted
        assert type(found) is type(wanted)


def test_most_functions_are_there():
    from tinquire.formula.engine.registry import functions

    assert len(functions()) > 450
    tried = {name for name in functions() for formula, _ in CASES if f"{name}(" in formula}
    assert len(tried) > 300
