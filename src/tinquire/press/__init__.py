"""The press: a run made (`make`), written (`publish`) and sent (`send`). Knows the docket, not the terminal."""
