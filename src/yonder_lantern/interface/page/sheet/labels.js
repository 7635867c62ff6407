// What the page says, in the browser's language: English, German or French.

const LABELS = {
  en: {
    skip: "Skip to the question", conversations: "Conversations", new: "New conversation",
    earlier: "Earlier", search: "Search what was said", hint: "Ask about the documents of this desk.",
    question: "Your question", ask: "Ask", stop: "Stop", close: "Close", taken: "Taken as:",
    excerpt: "The closest passages. This is not an answer.", declined: "Not in the documents.",
    stale: "This document has changed since the answer was given.", delete: "Delete",
    remove: "Delete this conversation for good?", none: "None yet.", failed: "That did not work:",
    support: "support", tokens: "tokens", opens: "opens the document", free: "cost nothing",
  },
  de: {
    skip: "Zur Frage springen", conversations: "Gespräche", new: "Neues Gespräch",
    earlier: "Frühere", search: "In Gesprächen suchen",
    hint: "Fragen Sie nach dem, was in den Dokumenten steht.", question: "Ihre Frage", ask: "Fragen",
    stop: "Anhalten", close: "Schließen", taken: "Verstanden als:",
    excerpt: "Die nächsten Stellen. Das ist keine Antwort.", declined: "Steht nicht in den Dokumenten.",
    stale: "Dieses Dokument wurde seit der Antwort geändert.", delete: "Löschen",
    remove: "Dieses Gespräch endgültig löschen?", none: "Noch keine.", failed: "Das ging nicht:",
    support: "Sicherheit", tokens: "Tokens", opens: "öffnet das Dokument", free: "kostenlos",
  },
  fr: {
    skip: "Aller à la question", conversations: "Conversations", new: "Nouvelle conversation",
    earlier: "Précédentes", search: "Chercher dans les conversations",
    hint: "Posez une question sur les documents.", question: "Votre question", ask: "Demander",
    stop: "Arrêter", close: "Fermer", taken: "Compris comme :",
    excerpt: "Les passages les plus proches. Ce n’est pas une réponse.",
    declined: "Absent des documents.", stale: "Ce document a changé depuis la réponse.",
    delete: "Supprimer", remove: "Supprimer définitivement cette conversation ?", none: "Aucune.",
    failed: "Cela n’a pas marché :", support: "certitude", tokens: "jetons",
    opens: "ouvre le document", free: "gratuit",
  },
};

const language = (navigator.languages ?? [navigator.language])
  .map((one) => one.slice(0, 2)).find((one) => one in LABELS) ?? "en";

export const label = (name) => LABELS[language][name] ?? LABELS.en[name];

export function putLabels() {
  document.documentElement.lang = language;
  for (const one of document.querySelectorAll("[data-label]")) {
    one.textContent = label(one.dataset.label);
  }
  for (const one of document.querySelectorAll("[data-label-aria]")) {
    one.setAttribute("aria-label", label(one.dataset.labelAria));
  }
}
