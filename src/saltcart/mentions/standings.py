"""What becomes of the mentions of a shelf in a file, in words."""

IN_FULL, IN_PART, UNREAD = "in full", "in part", "not read"  # how much of them a map reaches
UNCHANGEABLE = "cannot be changed"  # all of them are reached, and cannot be given the new place
SHOWS_LESS = "shows less"  # a folder that it lists stays, and something in that moves
SAID = "said in a text"  # free text, or data that its program can do without: nothing looks for a sound by it
LINKED = "a link into it"  # it would lead nowhere
HISTORY, LEFT, SERVED = "history", "left on purpose", "through the signpost"  # may stay
ORIGINALS = "the originals"  # what they name is still there
UNACCOUNTED = "unaccounted"  # are left after the switch, and nothing explains them
