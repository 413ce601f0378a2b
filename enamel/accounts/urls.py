"""Addresses of accounts."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from enamel.accounts.views import preferences, sign_in, tokens

urlpatterns = [
    path("sign-in/", sign_in.SignIn.as_view(), name="sign-in"),
    path("sign-in/demo/", sign_in.sign_in_demo, name="sign-in-demo"),
    path("password/", sign_in.ChangePassword.as_view(), name="change-password"),
    path("password/<uidb64>/<token>/", sign_in.SetPassword.as_view(), name="set-password"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("preferences/", preferences.preferences, name="preferences"),
    path("scripts/", tokens.tokens, name="tokens"),
    path("tokens/<int:number>/revoke/", tokens.revoke, name="revoke-token"),
]
