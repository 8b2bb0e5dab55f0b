# What somebody could wire up with scikit-learn (Debian: python3-sklearn): TF-IDF with a linear SVM, an encoder with logistic
# regression, the average of the two. Reads one JSON object from standard input, writes one.
import json
import sys

import numpy as np
from sklearn.feature_extraction.text import TfidfVectorizer
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score
from sklearn.svm import LinearSVC


def softmax(scores, sharp):
    z = sharp * scores
    e = np.exp(z - z.max(1, keepdims=True))
    return e / e.sum(1, keepdims=True)


def outcome(inside, outside, truth):
    labels = [1] * len(inside) + [0] * len(outside)
    top = np.concatenate([inside.max(1), outside.max(1)])
    return {"accuracy": float((inside.argmax(1) == truth).mean()), "area": float(roc_auc_score(labels, top))}


def run(task):
    y, truth = np.array(task["belongs"]), np.array(task["truth"])
    vectorizer = TfidfVectorizer(sublinear_tf=True)
    svm = LinearSVC(C=1).fit(vectorizer.fit_transform(task["taught"]), y)
    words = [softmax(svm.decision_function(vectorizer.transform(t)), 3) for t in (task["tried"], task["outside"])]
    found = {"TF-IDF, linear SVM": outcome(*words, truth)}
    vectors = task.get("vectors")
    if vectors:
        unit = lambda texts: np.array([vectors[t] for t in texts])
        regression = LogisticRegression(C=20, max_iter=3000).fit(unit(task["taught"]), y)
        dense = [regression.predict_proba(unit(t)) for t in (task["tried"], task["outside"])]
        found["encoder, logistic regression"] = outcome(*dense, truth)
        found["average of the two"] = outcome((words[0] + dense[0]) / 2, (words[1] + dense[1]) / 2, truth)
    return found


json.dump([run(task) for task in json.load(sys.stdin)], sys.stdout)
