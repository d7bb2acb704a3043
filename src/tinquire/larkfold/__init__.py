"""The demo: Larkfold Linen, a made-up linen hire. Its job folder ships beside this file; `make` writes its data."""
