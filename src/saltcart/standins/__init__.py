"""Small simulated programs that read their own ledgers in their own code.

They import nothing from Salt Cart: they are the witnesses that say whether a move
left everything playable.
"""
