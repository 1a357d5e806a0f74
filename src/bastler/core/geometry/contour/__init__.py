"""The contour calculator: from the facts that a drawing gives to every point of a chain of lines and arcs.

    facts ──► chain ──► spread ──► (circles, lines, points: closed forms) ──► groups: the rest ──► answers ──► corners

`facts` is what is typed; `chain` gives it names and shares what is the same thing; `spread` carries knowledge
forward and backward; `loci` are the closed forms; `groups` solves what hangs together; `solve` puts answers
together; `count` says how many facts are missing, `explain` which fact contradicts; `corners` rounds and bevels.
"""
