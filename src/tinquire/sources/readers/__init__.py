"""Files of sheets and records as blocks of cells: workbooks, OpenDocument, web pages, JSON."""
