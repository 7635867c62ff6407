// What the page says, in the browser's language: English, German or French.

const LABELS = {
  en: {
    skip: "Skip to the question", conversations: "Conversations", new: "New conversation",
    earlier: "History", search: "Search conversations", hint: "Ask about the documents of this desk.",
    question: "Your question", ask: "Ask", stop: "Stop", close: "Close", taken: "Taken as:",
    excerpt: "What comes closest. This is not an answer.", declined: "Nothing I am sure of.",
    stale: "This document has changed since the answer was given.", delete: "Delete",
    remove: "Delete this conversation for good?", none: "None yet.", failed: "That did not work:",
    sure: "sure", likely: "likely", unsure: "unsure", likeness: "likeness", tokens: "tokens", opens: "opens the document", free: "cost nothing",
    alone: "Ask it as it stands", searched: "Searched for", good: "Helpful", bad: "Not helpful",
    remark: "A remark", kept: "Thank you.", listen: "Listen", forget: "Forget", said: "What you said of yourself",
    page: "Page", sources: "Sources", choose: "Ask only those that are ticked.", documents: "documents",
    asksOnly: "Searching only:", noSources: "None yet.", address: "Add a folder, repository, feed or page",
    add: "Add", gathering: "Gathering …", gathered: "documents gathered.", token: "Your access token",
    signIn: "Sign in", signedIn: "Signed in:", signOut: "Sign out", image: "An image with the question",
    modelAddress: "A model server's address", modelName: "Name of the model", desks: "Other desks",
    modelKey: "Its key (kept in memory only)", use: "Use it", notReady: "This desk has no documents yet.",
    setUp: "This desk has no documents yet. Add a source: a folder, a repository, a feed or a page.",
    "fixed reply": "fixed reply", dialogue: "dialogue", courtesy: "no search", noted: "noted",
    "house rule": "house rule", notes: "Notes that people left; not part of the answer",
    steps: "Steps", otherwise: "contradicts the documents", newer: "contradicted by a newer note",
    things: "Entities", saidOfThings: "Entities and what is said of them", findThing: "Find an entity", card: "Statements about it",
    drawing: "Connections: arrows move them, plus and minus zoom, 0 shows all", larger: "Larger", smaller: "Smaller",
    fit: "Show all", clear: "Clear", namedIn: "Mentioned elsewhere",
    notedSays: "From notes (no document backs this)", saidEarlier: "Earlier statements",
  },
  de: {
    skip: "Zur Frage springen", conversations: "Gespräche", new: "Neues Gespräch",
    earlier: "Frühere", search: "In Gesprächen suchen",
    hint: "Fragen Sie nach dem, was in den Dokumenten steht.", question: "Ihre Frage", ask: "Fragen",
    stop: "Anhalten", close: "Schließen", taken: "Verstanden als:",
    excerpt: "Was am nächsten kommt. Das ist keine Antwort.", declined: "Nichts, dessen ich sicher bin.",
    stale: "Dieses Dokument wurde seit der Antwort geändert.", delete: "Löschen",
    remove: "Dieses Gespräch endgültig löschen?", none: "Noch keine.", failed: "Das ging nicht:",
    sure: "sicher", likely: "wahrscheinlich", unsure: "unsicher", likeness: "Ähnlichkeit im Stil", tokens: "Tokens", opens: "öffnet das Dokument", free: "kostenlos",
    alone: "So fragen, wie sie dasteht", searched: "Gesucht nach", good: "Hilfreich", bad: "Nicht hilfreich",
    remark: "Eine Anmerkung", kept: "Danke.", listen: "Anhören", forget: "Vergessen", said: "Was Sie von sich sagten",
    page: "Seite", sources: "Quellen", choose: "Nur die angekreuzten fragen.", documents: "Dokumente",
    asksOnly: "Fragt nur:", noSources: "Noch keine.", address: "Ordner, Repository, Feed oder Seite hinzufügen",
    add: "Hinzufügen", gathering: "Wird gelesen …", gathered: "Dokumente gelesen.", token: "Ihr Zugangsschlüssel",
    signIn: "Anmelden", signedIn: "Angemeldet:", signOut: "Abmelden", image: "Ein Bild zur Frage",
    modelAddress: "Adresse eines Modellservers", modelName: "Name des Modells", desks: "Andere Auskünfte",
    modelKey: "Sein Schlüssel (nur im Speicher)", use: "Verwenden", notReady: "Hier gibt es noch keine Dokumente.",
    setUp: "Hier gibt es noch keine Dokumente. Fügen Sie eine Quelle hinzu.",
    "fixed reply": "feste Antwort", dialogue: "Dialog", courtesy: "ohne Suche", noted: "gemerkt",
    "house rule": "Hausregel",
    notes: "Hinterlassene Notizen; nicht Teil der Antwort",
    steps: "Schritte", otherwise: "widerspricht den Dokumenten", newer: "eine neuere Notiz widerspricht",
    things: "Dinge", saidOfThings: "Was über Dinge gesagt wird", findThing: "Ein Ding suchen", card: "Was darüber gesagt wird",
    drawing: "Verbindungen: Pfeiltasten verschieben, Plus und Minus vergrößern, 0 zeigt alles", larger: "Größer",
    smaller: "Kleiner", fit: "Alles zeigen", clear: "Leeren", namedIn: "Genannt in dem, was über andere gesagt wird",
    notedSays: "Notizen sagen, ohne dass ein Dokument es belegt", saidEarlier: "Früher gesagt",
  },
  fr: {
    skip: "Aller à la question", conversations: "Conversations", new: "Nouvelle conversation",
    earlier: "Précédentes", search: "Chercher dans les conversations",
    hint: "Posez une question sur les documents.", question: "Votre question", ask: "Demander",
    stop: "Arrêter", close: "Fermer", taken: "Compris comme :",
    excerpt: "Ce qui s’en approche le plus. Ce n’est pas une réponse.",
    declined: "Rien dont je sois sûr.", stale: "Ce document a changé depuis la réponse.",
    delete: "Supprimer", remove: "Supprimer définitivement cette conversation ?", none: "Aucune.",
    failed: "Cela n’a pas marché :", sure: "sûr", likely: "probable", unsure: "incertain", likeness: "ressemblance de style", tokens: "jetons",
    opens: "ouvre le document", free: "gratuit",
    alone: "Poser telle quelle", searched: "Mots cherchés", good: "Utile", bad: "Pas utile",
    remark: "Une remarque", kept: "Merci.", listen: "Écouter", forget: "Oublier", said: "Ce que vous avez dit de vous",
    page: "Page", sources: "Sources", choose: "N’interroger que celles qui sont cochées.", documents: "documents",
    asksOnly: "N’interroge que :", noSources: "Aucune.", address: "Ajouter un dossier, un dépôt, un flux ou une page",
    add: "Ajouter", gathering: "Lecture …", gathered: "documents lus.", token: "Votre jeton d’accès",
    signIn: "Se connecter", signedIn: "Connecté :", signOut: "Se déconnecter", image: "Une image avec la question",
    modelAddress: "Adresse d’un serveur de modèle", modelName: "Nom du modèle", desks: "Autres bureaux",
    modelKey: "Sa clé (gardée en mémoire seulement)", use: "Utiliser", notReady: "Pas encore de documents ici.",
    setUp: "Pas encore de documents ici. Ajoutez une source.",
    "fixed reply": "réponse fixe", dialogue: "dialogue", courtesy: "sans recherche", noted: "noté",
    "house rule": "règle de la maison",
    notes: "Notes laissées par des personnes ; pas dans la réponse",
    steps: "Étapes", otherwise: "contredit les documents", newer: "contredite par une note plus récente",
    things: "Choses", saidOfThings: "Ce qui est dit des choses", findThing: "Chercher une chose", card: "Ce qui en est dit",
    drawing: "Liens : les flèches déplacent, plus et moins agrandissent, 0 montre tout", larger: "Plus grand",
    smaller: "Plus petit", fit: "Tout montrer", clear: "Vider", namedIn: "Nommée dans ce qui est dit d’autres",
    notedSays: "Des notes le disent, sans qu’un document l’appuie", saidEarlier: "Dit auparavant",
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
