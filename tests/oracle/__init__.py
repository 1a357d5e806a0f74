"""A second opinion: two brute-force simulators that read a program's text and share no code with the check.

What they get from the job are numbers: sizes of the stock and of the tools. Moves are marched in short steps, a step cuts every cell
that the tool covers. Slow, coarse, and simple enough to be believed.
"""
