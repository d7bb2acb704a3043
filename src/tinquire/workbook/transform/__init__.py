"""Workbooks made of workbooks: split, copied sheet by sheet, with values only, with slots filled."""
