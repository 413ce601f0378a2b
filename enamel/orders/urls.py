"""Addresses of orders."""

from django.urls import path

from enamel.orders.views import bureau, shop

urlpatterns = [
    path("print-files/<uuid:print_id>/shop/", shop.send, name="send-to-shop"),
    path("shop/<uuid:order_id>/", shop.order, name="shop-order"),
    path("shop/<uuid:order_id>/state/", shop.state, name="shop-order-state"),
    path("shop/<uuid:order_id>/proof.png", shop.proof, name="shop-proof"),
    path("shop/<uuid:order_id>/delete/", shop.delete, name="delete-order"),
    path("bureau/", bureau.bureau, name="bureau"),
    path("bureau/limit/", bureau.limit, name="bureau-limit"),
    path("bureau/<uuid:sent_id>/", bureau.sent_coat, name="sent-coat"),
    path("bureau/<uuid:sent_id>/state/", bureau.state, name="sent-coat-state"),
    path("bureau/<uuid:sent_id>/came-back.webp", bureau.result_picture, name="sent-coat-came-back"),
    path("bureau/<uuid:sent_id>/change/", bureau.change, name="change-sent-coat"),
    path("pieces/<uuid:piece_id>/send-out/", bureau.send_out, name="send-out"),
]
