"""A trial, a programme or the whole place as an open data package, and back again without loss.

`tables` says what is in a package and in which units, `insides` what stands inside the columns that hold more than one figure,
`chosen` which records belong to what was asked for, `leaving` writes it,
`drawings` adds plans for maps and pages, `workbook` gives the same tables as sheets, `opening` reads and checks a package that is
brought, `joining` puts it into the place."""
