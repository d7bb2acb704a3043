"""Tables, pivots and statements laid out on sheets and dressed. Knows not the docket."""
