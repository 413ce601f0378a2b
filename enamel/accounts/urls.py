"""Addresses of accounts."""

from django.contrib.auth.views import LogoutView
from django.urls import path

from enamel.accounts.views import people, preferences, sessions, sign_in, tokens

urlpatterns = [
    path("sign-in/", sign_in.SignIn.as_view(), name="sign-in"),
    path("sign-in/demo/", sign_in.sign_in_demo, name="sign-in-demo"),
    path("password/", sign_in.ChangePassword.as_view(), name="change-password"),
    path("password/<uidb64>/<token>/", sign_in.SetPassword.as_view(), name="set-password"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("preferences/", preferences.preferences, name="preferences"),
    path("sessions/", sessions.sessions, name="sessions"),
    path("sessions/end/", sessions.end_session, name="end-session"),
    path("accounts/", people.accounts, name="accounts"),
    path("accounts/<int:number>/", people.account, name="account"),
    path("accounts/<int:number>/link/", people.create_link, name="create-password-link"),
    path("accounts/<int:number>/role/", people.set_role, name="set-role"),
    path("accounts/<int:number>/switch/", people.switch_account, name="switch-account"),
    path("accounts/<int:number>/delete/", people.delete_account, name="delete-account"),
    path("audit/", people.audit, name="audit"),
    path("scripts/", tokens.tokens, name="tokens"),
    path("tokens/<int:number>/revoke/", tokens.revoke, name="revoke-token"),
]
