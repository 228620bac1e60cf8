"""Offers the words of the filter language while one is typed."""

from textual.suggester import Suggester

from gray_kettle.analysis.inventory.filter_query import completed


class FilterSuggester(Suggester):
    """The right arrow takes what is shown behind the cursor."""

    def __init__(self) -> None:
        super().__init__(use_cache=False, case_sensitive=True)

    async def get_suggestion(self, value: str) -> str | None:
        return completed(value)
