"""Open formats in and out.

In this room:

    sheet, plots    a trial read from delimited text, every bad cell named
    messy           the same as people keep it: what is proposed, and what is asked
    headers         which line names the columns, and the names where they take several lines
    meanings        what a column means by its name, in several languages
    numerals        how the numbers of a column are written
    weights         weights of picks, a line a plot and day, a column a day or a column a class
    table           columns read from delimited text, every bad cell named
    figures         results as plain dictionaries of numbers, for JSON
    cli             the command line: the only part of the core that reads and writes files
"""
