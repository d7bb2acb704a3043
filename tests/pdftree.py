"""The structure of a PDF, as programs that read it aloud find it."""

import pypdfium2


def tree_of(pdf, number=0):
    """The structure of a page, for programs that read it aloud: kinds with what they hold, figures with their words."""
    raw = pypdfium2.raw
    page = pypdfium2.PdfDocument(pdf)[number]
    tree = raw.FPDF_StructTree_GetForPage(page.raw)

    def words(get, element):
        size = get(element, None, 0)
        buffer = bytes(size)
        get(element, buffer, size)
        return buffer.decode("utf-16-le").rstrip("\0")

    def of(element):
        kind, alt = words(raw.FPDF_StructElement_GetType, element), words(raw.FPDF_StructElement_GetAltText, element)
        count = raw.FPDF_StructElement_CountChildren(element)
        inner = [raw.FPDF_StructElement_GetChildAtIndex(element, place) for place in range(count)]
        return (kind, alt, [of(one) for one in inner if one])

    found = [
        of(raw.FPDF_StructTree_GetChildAtIndex(tree, place)) for place in range(raw.FPDF_StructTree_CountChildren(tree))
    ]
    raw.FPDF_StructTree_Close(tree)
    return found
