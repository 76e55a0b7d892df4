"""Reading and rewriting files that refer to sounds: one module per format, one table of them (`kinds`).

What a command needs of it is imported module by module: the history of trips needs no format at all.
"""
