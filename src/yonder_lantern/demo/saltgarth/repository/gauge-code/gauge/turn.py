"""Finds the apparent time of turn (ATT) in a day's heights."""


def turns(heights: list[float], hold: int = 9) -> list[int]:
    """Minutes of the day at which the tide turned.

    A turn counts when the tide has run the other way for ``hold`` minutes.
    """
    found = []
    for at in range(hold, len(heights) - hold):
        window = heights[at - hold : at + hold + 1]
        if heights[at] in (max(window), min(window)) and window.count(heights[at]) == 1:
            found.append(at)
    return found
